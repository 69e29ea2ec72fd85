export function findChromium(): string | undefined;
export function needChromium(tell: (line: string) => void): string | undefined;
export function launchOptions(executablePath: string): { executablePath: string; headless: boolean; args: string[] };
