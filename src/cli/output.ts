// Where a command writes. An object of functions, so that a test needs no process.
import Table from 'cli-table3';
import colours from 'picocolors';
import { encode } from '../core/encode.js';

export interface Output {
  /** A line of the result, to standard output. */
  result(line: string): void;
  /** A line of talk, to standard error. */
  talk(line: string): void;
  /** How far long work is, to standard error; on a terminal each takes the place of the one before. */
  progress(text: string): void;
}

/** Writes to the process's own streams. */
export const processOutput: Output = {
  result: (line) => void process.stdout.write(line + '\n'),
  talk: (line) => void process.stderr.write(line + '\n'),
  progress: (text) =>
    void process.stderr.write(process.stderr.isTTY ? `\r${colours.dim(text)}\u001b[K\r` : `${text} ...\n`),
};

/** A value in a few words, on one line. */
export function inShort(value: unknown, most = 60): string {
  const text = JSON.stringify(encode(value));
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}

// eslint-disable-next-line no-control-regex
const COLOUR = /\u001b\[[0-9;]*m/g;

const bare = Object.fromEntries(
  ['top', 'bottom']
    .flatMap((place) => [place, `${place}-mid`, `${place}-left`, `${place}-right`])
    .concat('left', 'left-mid', 'mid', 'mid-mid', 'right', 'right-mid')
    .map((name) => [name, '']),
);

/** Aligned columns, written in parts: later rows are at least as wide as those before. */
export class Columns {
  private readonly widths: number[];
  private first = true;

  constructor(
    private readonly out: Output,
    private readonly heads: readonly string[],
    private readonly aligns: readonly ('left' | 'right')[] = heads.map(() => 'left'),
  ) {
    this.widths = heads.map((head) => head.length);
  }

  write(rows: readonly (readonly string[])[]): void {
    for (const row of rows)
      row.forEach((cell, i) => (this.widths[i] = Math.max(this.widths[i], cell.replace(COLOUR, '').length)));
    const table = new Table({
      ...(this.first && { head: this.heads.map(colours.bold) }),
      chars: { ...bare, middle: '  ' },
      style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0 },
      colAligns: [...this.aligns],
      colWidths: this.widths,
    });
    for (const row of rows) table.push([...row]);
    if (this.first || rows.length > 0) this.out.result(table.toString().replace(/[ \t]+$/gm, ''));
    this.first = false;
  }
}
