// Where a command writes. An object of functions, so that a test needs no process.

export interface Output {
  /** A line of the result, to standard output. */
  result(line: string): void;
  /** A line of talk, to standard error. */
  talk(line: string): void;
}

/** Writes to the process's own streams. */
export const processOutput: Output = {
  result: (line) => void process.stdout.write(line + '\n'),
  talk: (line) => void process.stderr.write(line + '\n'),
};
