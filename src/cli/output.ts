// Where a command writes. An object of functions, so that a test needs no process.
import { stripVTControlCharacters } from 'node:util';
import colours from 'picocolors';
import { encode } from '../core/internal.js';
import { textWidth } from './text-width.js';

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

/** Control characters, and those that change the direction or the order in which a terminal shows text. */
// eslint-disable-next-line no-control-regex -- exactly these must not reach a terminal
const UNSHOWN = /[\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff]/g;

/** How often long work says how far it is, in milliseconds. */
const EVERY = 2000;

/** Says how far long work is, as often as is of use. */
export function progressOf(out: Output): (text: () => string) => void {
  let next = Date.now() + EVERY;
  return (text) => {
    if (Date.now() < next) return;
    out.progress(text());
    next = Date.now() + EVERY;
  };
}

/** A number of things: "1 state", "1,204 states". */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  `${count.toLocaleString('en')} ${count === 1 ? one : many}`;

/** Text of a file, safe for a terminal: escape sequences in it are shown, not obeyed. */
export const shown = (text: string): string =>
  text.replace(UNSHOWN, (found) => `\\u${found.charCodeAt(0).toString(16).padStart(4, '0')}`);

/** A value as JSON, on one line without an indent, safe for a terminal. */
export const jsonOf = (value: unknown, indent?: number): string =>
  JSON.stringify(value, undefined, indent).split('\n').map(shown).join('\n');

/** A value in a few words, on one line. */
export function inShort(value: unknown, most = 60): string {
  const text = jsonOf(encode(value));
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}

/** Names in lines of 100 columns, the second and later ones indented. */
export function wrapped(parts: readonly string[], indent: number): string {
  const lines: string[] = [];
  let line = '';
  for (const part of parts.map(shown)) {
    if (line !== '' && indent + line.length + part.length + 2 > 100) {
      lines.push(`${line},`);
      line = part;
    } else line = line === '' ? part : `${line}, ${part}`;
  }
  return [...lines, line].join(`\n${' '.repeat(indent)}`);
}

const PLAIN = /^[ -~]*$/;

/** How many columns of a terminal a text takes. */
function widthOf(text: string): number {
  const bare = stripVTControlCharacters(text);
  return PLAIN.test(bare) ? bare.length : textWidth(bare);
}

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
    const widths = rows.map((row) => row.map(widthOf));
    for (const row of widths) row.forEach((width, i) => (this.widths[i] = Math.max(this.widths[i], width)));
    if (this.first)
      this.out.result(
        this.line(
          this.heads.map(colours.bold),
          this.heads.map((head) => head.length),
        ),
      );
    this.first = false;
    for (const [i, row] of rows.entries()) this.out.result(this.line(row, widths[i]));
  }

  private line(cells: readonly string[], widths: readonly number[]): string {
    const padded = cells.map((cell, i) => {
      const space = ' '.repeat(this.widths[i] - widths[i]);
      return this.aligns[i] === 'right' ? space + cell : i === cells.length - 1 ? cell : cell + space;
    });
    return padded.join('  ');
  }
}
