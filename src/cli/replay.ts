// `floe replay TRACE --model FILE`: runs what was recorded against today's code.
import colours from 'picocolors';
import { encode } from '../core/internal.js';
import { causeOf, replayTrace } from '../trace/index.js';
import { readTraceFile } from './input.js';
import { storesIn } from './model.js';
import { numberOf } from './options.js';
import { inShort, jsonOf, progressOf, shown, type Output } from './output.js';
import { reportsOf } from './steps.js';

export interface ReplayCommandOptions {
  /** Default: the project's own. */
  readonly model?: string;
  readonly branch?: string;
  readonly refuse?: boolean;
  readonly json?: boolean;
}

/** Gives the exit code: 1 where the code does something else now. */
export async function replay(file: string, options: ReplayCommandOptions, out: Output): Promise<0 | 1> {
  const { model, refuse, json } = options;
  const branch = numberOf('--branch', options.branch);
  const stores = await storesIn(model, out);
  const trace = await readTraceFile(file, out);
  const progress = progressOf(out);
  const { steps, actions, onTrust, divergence } = replayTrace(trace, {
    stores,
    ...(branch !== undefined && { branch }),
    invariants: refuse ? 'refuse' : 'report',
    onStep: (done, all) => progress(() => `${done} of ${all} steps replayed`),
  });
  if (trace.problem) out.talk(colours.yellow(`${trace.problem.code}: ${shown(trace.problem.message)}\n`));
  if (json) {
    const { step, pointer, reason, ...values } = divergence ?? {};
    const encoded = divergence && {
      seq: step!.seq,
      name: step!.action?.type,
      ...(pointer !== undefined && { pointer }),
      ...('expected' in values && { expected: encode(values.expected) }),
      ...('found' in values && { found: encode(values.found) }),
      ...(reason !== undefined && { reason }),
    };
    out.result(jsonOf({ steps, actions, onTrust, ...(encoded && { divergence: encoded }) }));
    return divergence ? 1 : 0;
  }
  const trusted =
    onTrust.length > 0 ? `; ${onTrust.length} steps that depend on redacted values were taken on trust` : '';
  if (!divergence) {
    out.result(`${colours.green('As recorded')}: ${actions} actions in ${steps} steps do what they did${trusted}.`);
    return 0;
  }
  const { step, pointer, reason } = divergence;
  const because = causeOf(step);
  out.result(`${colours.red('Something else')} at step ${colours.bold(String(step.seq))}: ${reportsOf(step)}`);
  if (because) out.result(`  because of  ${shown(because)}`);
  if (step.action && 'payload' in step.action) out.result(`  payload     ${inShort(step.action.payload, 100)}`);
  if (pointer !== undefined) out.result(`  where       ${colours.bold(shown(pointer))}`);
  out.result(`  recorded    ${'expected' in divergence ? inShort(divergence.expected, 100) : 'nothing'}`);
  out.result(`  now         ${'found' in divergence ? inShort(divergence.found, 100) : 'nothing'}`);
  if (reason !== undefined) out.result(`  reason      ${shown(reason)}`);
  out.talk(colours.dim(`\n${actions - 1} actions before it do what they did${trusted}.`));
  return 1;
}
