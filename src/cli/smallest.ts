// `floe smallest TRACE --model FILE --fails RULE`: leaves out of a recording what its failure does not need.
import { mkdirSync, writeFileSync } from 'node:fs';
import { basename, dirname, relative, sep } from 'node:path';
import colours from 'picocolors';
import { decode, definitionOf } from '../core/internal.js';
import { smallest, type Failure } from '../testing/index.js';
import { titleOf, writeTest } from '../trace/index.js';
import { badFailure, badValue, fileUnwritable } from './errors.js';
import { readTraceFile } from './input.js';
import { modelIn } from './model.js';
import { numberOf } from './options.js';
import { Columns, counted, inShort, jsonOf, progressOf, shown, type Output } from './output.js';

export interface SmallestCommandOptions {
  /** Default: the project's own. */
  readonly model?: string;
  readonly fails?: string;
  readonly error?: string;
  readonly value?: string;
  readonly differs?: boolean;
  readonly branch?: string;
  readonly save?: string;
  readonly test?: string;
  readonly json?: boolean;
}

export async function smallestTrace(file: string, options: SmallestCommandOptions, out: Output): Promise<void> {
  const branch = numberOf('--branch', options.branch);
  const fails = failureOf(options);
  const { stores, file: model } = await modelIn(options.model, out);
  if (typeof fails === 'object' && 'rule' in fails) {
    const rules = stores.flatMap((store) => definitionOf(store).invariants.map(({ name }) => name));
    if (!rules.includes(fails.rule)) throw badFailure(`there is no rule '${fails.rule}'`, rules);
  }
  const trace = await readTraceFile(file, out);
  const progress = progressOf(out);
  const { steps, text, of, tried } = smallest(trace, {
    stores,
    fails,
    ...(branch !== undefined && { branch }),
    onTry: (count, left) => progress(() => `${count} recordings tried, ${counted(left, 'step')} left`),
  });
  const actions = steps.filter(({ kind }) => kind === 'action');
  if (options.save !== undefined) write(options.save, text);
  if (options.test !== undefined)
    write(
      options.test,
      writeTest(text, { model: beside(options.test, model), stores, source: basename(file) }),
      '--test',
    );
  if (options.json) {
    out.result(jsonOf({ of, tried, steps: steps.map(({ seq, action, fact }) => ({ seq, action, fact })) }));
    return;
  }
  const kept = `${colours.bold(counted(actions.length, 'action'))} in ${counted(steps.length, 'step')}`;
  out.result(
    `${kept} of ${of.toLocaleString('en')} ${actions.length === 1 ? 'is' : 'are'} what the failure needs. ${tried.toLocaleString('en')} recordings were tried.`,
  );
  out.result('');
  const columns = new Columns(out, ['step', 'what', 'payload']);
  columns.write(
    steps.map((step) => [
      String(step.seq),
      shown(step.action?.type ?? titleOf(step)),
      step.action && 'payload' in step.action ? colours.dim(inShort(step.action.payload, 60)) : '',
    ]),
  );
  if (options.save !== undefined) out.talk(colours.dim(`\nfloe inspect ${options.save} shows it.`));
  if (options.test !== undefined) out.talk(colours.dim(`\n${options.test} fails until that is mended.`));
}

/** How a test names a module. */
function beside(test: string, module: string): string {
  const path = relative(dirname(test), module).split(sep).join('/');
  return path.startsWith('.') ? path : `./${path}`;
}

function write(path: string, text: string, option = '--save'): void {
  try {
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, text);
  } catch (cause) {
    throw fileUnwritable(path, cause, option);
  }
}

/** @throws FLOE_BAD_OPTION where not exactly one way to fail is named */
function failureOf({ fails, error, value, differs }: SmallestCommandOptions): Failure {
  const given = [fails, error, value, differs].filter((one) => one !== undefined);
  if (given.length !== 1) throw badFailure(given.length === 0 ? 'no failure is named' : 'more than one is named');
  if (fails !== undefined) return { rule: fails };
  if (error !== undefined) return { error };
  if (value === undefined) return 'differs';
  const at = value.indexOf('=');
  const pointer = value.slice(0, at);
  if (at < 0 || !pointer.startsWith('/')) throw badValue(value);
  try {
    return { pointer, value: decode(JSON.parse(value.slice(at + 1))) };
  } catch {
    throw badValue(value);
  }
}
