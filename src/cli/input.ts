// Trace files, line by line: a file may be longer than memory.
import { closeSync, createReadStream, fstatSync, openSync } from 'node:fs';
import { StringDecoder } from 'node:string_decoder';
// A trace may hold tables.
import '../entities/index.js';
import { FloeError } from '../core/internal.js';
import type { Step, TraceFile } from '../trace/index.js';
import { TraceReader } from '../trace/internal.js';
import { fileUnreadable, lineTooLong } from './errors.js';
import { progressOf, type Output } from './output.js';

/** No step is longer; a file with a longer line is not worth the memory. */
const LONGEST_LINE = 64 * 1024 * 1024;

/** Something with lines that can be read more than once. */
export interface Source {
  readonly name: string;
  lines(): AsyncIterable<string>;
}

/** A file; `-` is standard input, which is kept, since it can be read once only. */
export function sourceOf(file: string): Source {
  if (file !== '-') {
    check(file);
    return { name: file, lines: () => linesOf(file, createReadStream(file)) };
  }
  let kept: string[] | undefined;
  return {
    name: 'standard input',
    async *lines() {
      if (kept) return yield* kept;
      const lines: string[] = [];
      for await (const line of linesOf('standard input', process.stdin)) lines.push(line);
      kept = lines;
      yield* kept;
    },
  };
}

function check(file: string): void {
  let opened: number | undefined;
  try {
    opened = openSync(file, 'r');
    if (fstatSync(opened).isDirectory()) throw Object.assign(new Error('it is a folder'), { code: 'EISDIR' });
  } catch (cause) {
    throw fileUnreadable(file, cause);
  } finally {
    if (opened !== undefined) closeSync(opened);
  }
}

/** The lines of a stream of bytes, without line ends. */
export async function* linesOf(name: string, chunks: AsyncIterable<Buffer | string>): AsyncGenerator<string> {
  const decoder = new StringDecoder('utf8');
  let rest: string[] = [];
  let length = 0;
  let number = 1;
  let isFirst = true;
  try {
    for await (const chunk of chunks) {
      let text = typeof chunk === 'string' ? chunk : decoder.write(chunk);
      // A byte order mark is no part of the data (RFC 8259, 8.1).
      if (isFirst && text !== '') {
        isFirst = false;
        text = text.replace(/^\uFEFF/, '');
      }
      let from = 0;
      for (let end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', from)) {
        rest.push(text.slice(from, end));
        yield rest.length === 1 ? rest[0] : rest.join('');
        number++;
        rest = [];
        length = 0;
        from = end + 1;
      }
      rest.push(text.slice(from));
      length += text.length - from;
      if (length > LONGEST_LINE) throw lineTooLong(name, number, LONGEST_LINE);
    }
  } catch (cause) {
    throw cause instanceof FloeError ? cause : fileUnreadable(name, cause);
  }
  rest.push(decoder.end());
  const last = rest.join('');
  if (last !== '') yield last;
}

/** Calls `each` with every step of a trace, in the order of the file. Gives the reader, which knows the rest. */
export async function readSteps(source: Source, out: Output, each: (step: Step) => void): Promise<TraceReader> {
  const reader = new TraceReader();
  const progress = progressOf(out);
  let count = 0;
  for await (const line of source.lines()) {
    const step = reader.line(line);
    if (!step) continue;
    count++;
    each(step);
    // Asking the clock at each step would take longer than reading it.
    if ((count & 1023) === 0) progress(() => `${count} steps of ${source.name} read`);
  }
  return reader;
}

/** The whole of a trace. */
export async function readTraceFile(file: string, out: Output): Promise<TraceFile> {
  const steps = new Map<number, Step>();
  const reader = await readSteps(sourceOf(file), out, (step) => steps.set(step.seq, step));
  return reader.file([...steps.values()]);
}
