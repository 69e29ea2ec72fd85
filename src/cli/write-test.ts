// `floe write-test TRACE --model MODULE`: a Jest test out of recorded steps.
import { mkdirSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, resolve } from 'node:path';
import colours from 'picocolors';
import { FloeError } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import { givenText, writeTest } from '../trace/index.js';
import { fileUnwritable, givenNeedsFile } from './errors.js';
import { readTraceFile } from './input.js';
import { moduleAt, storesIn } from './model.js';
import { numberOf } from './options.js';
import { shown, type Output } from './output.js';

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

interface Found {
  readonly stores?: readonly AnyStore[];
  /** Why there are none, and what that means. */
  readonly missing?: string;
}

/** The stores, where the test will import them from a file that is there already. */
async function storesFor(model: string, target: string | undefined, out: Output): Promise<Found> {
  const path = resolve(target === undefined ? '.' : dirname(target), model);
  // As a test names it: the file itself, a module of TypeScript by what becomes of it, or one without an ending.
  const file =
    [path, path.replace(/\.(m?)js(x?)$/, '.$1ts$2')].find((one) =>
      statSync(one, { throwIfNoEntry: false })?.isFile(),
    ) ?? moduleAt(path);
  const without = 'the test gives the states of all stores, and dispatches no action of a store with redacted places';
  if (file === undefined)
    return {
      missing: `There is no '${shown(model)}' ${target === undefined ? 'here' : 'beside the test'} so far: ${without}.`,
    };
  try {
    return { stores: await storesIn(file, out) };
  } catch (error) {
    if (!(error instanceof FloeError)) throw error;
    return { missing: `${error.code}: ${error.message} So ${without}.` };
  }
}

export async function writeTestFile(file: string, options: WriteTestCommandOptions, out: Output): Promise<void> {
  const { model, title, out: target } = options;
  const from = numberOf('--from', options.from);
  const to = numberOf('--to', options.to);
  const branch = numberOf('--branch', options.branch);
  const trace = await readTraceFile(file, out);
  const isStory = trace.header.story !== undefined && from === undefined && to === undefined;
  const { stores, missing } = isStory ? ({} as Found) : await storesFor(model, target, out);
  const range = {
    ...(from !== undefined && { from }),
    ...(to !== undefined && { to }),
    ...(branch !== undefined && { branch }),
    ...(stores !== undefined && { stores }),
  };
  const state = isStory ? '' : givenText(trace, range);
  if (missing !== undefined) out.talk(missing);
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
  out.talk(
    colours.dim(
      isStory
        ? '\nIt fails as long as the story leads there: run it with Jest.'
        : '\nIt passes as written: run it with Jest.',
    ),
  );
}
