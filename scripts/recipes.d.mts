export function guideText(): string;
export function withRecipes(text: string): string;
