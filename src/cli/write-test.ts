// `floe write-test TRACE --model MODULE`: a Jest test out of recorded steps.
import { mkdirSync, writeFileSync } from 'node:fs';
import { basename, dirname } from 'node:path';
import colours from 'picocolors';
import { givenText, writeTest } from '../trace/index.js';
import { fileUnwritable, givenNeedsFile } from './errors.js';
import { readTraceFile } from './input.js';
import { numberOf } from './options.js';
import type { Output } from './output.js';

export interface WriteTestCommandOptions {
  readonly model: string;
  readonly from?: string;
  readonly to?: string;
  readonly branch?: string;
  readonly title?: string;
  readonly out?: string;
}

/** A state of more characters than this stands in a file of its own. */
const LONGEST_GIVEN = 2000;

export async function writeTestFile(file: string, options: WriteTestCommandOptions, out: Output): Promise<void> {
  const { model, title, out: target } = options;
  const from = numberOf('--from', options.from);
  const to = numberOf('--to', options.to);
  const branch = numberOf('--branch', options.branch);
  const range = {
    ...(from !== undefined && { from }),
    ...(to !== undefined && { to }),
    ...(branch !== undefined && { branch }),
  };
  const trace = await readTraceFile(file, out);
  const state = givenText(trace, range);
  const isLong = state.length > LONGEST_GIVEN;
  if (isLong && target === undefined) throw givenNeedsFile(state.length);
  const given = isLong ? `${basename(target!).replace(/(\.test)?\.[^.]+$/, '')}.given.json` : undefined;
  const source = writeTest(trace, {
    ...range,
    model,
    source: file === '-' ? 'a recording' : basename(file),
    ...(title !== undefined && { title }),
    ...(given !== undefined && { given }),
  });
  if (target === undefined) {
    out.result(source.trimEnd());
    return;
  }
  const write = (path: string, text: string): void => {
    try {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
    } catch (cause) {
      throw fileUnwritable(path, cause, '--out');
    }
    out.result(path);
  };
  write(target, source);
  if (given !== undefined) write(target.slice(0, target.length - basename(target).length) + given, state);
  out.talk(colours.dim('\nIt passes as written: run it with Jest.'));
}
