// `floe steps TRACE`: what happened, one line a step.
import Table from 'cli-table3';
import colours from 'picocolors';
import { causeOf, titleOf, type Step } from '../trace/index.js';
import { readTraceFile } from './input.js';
import type { Output } from './output.js';

export interface StepsOptions {
  readonly json?: boolean;
}

export function listSteps(file: string, { json }: StepsOptions, out: Output): void {
  const { steps, problem } = readTraceFile(file);
  if (json) for (const step of steps) out.result(JSON.stringify(summaryOf(step)));
  else {
    out.result(tableOf(steps));
    out.talk(colours.dim(`\n${steps.length} steps; took is the time that the stores' changes needed.`));
  }
  if (problem) out.talk(colours.yellow(`\n${problem.code}: ${problem.message}`));
}

/** What `--json` gives for a step, one line each. */
const summaryOf = (step: Step): object => ({
  seq: step.seq,
  time: new Date(step.time).toISOString(),
  kind: step.kind,
  name: titleOf(step),
  cause: step.cause,
  ...(step.run && { run: step.run }),
  outcome: step.outcome,
  stores: step.stores,
  changes: step.changes.length,
  took: step.took,
  branch: step.branch,
  ...(step.reason !== undefined && { reason: step.reason }),
});

const tones: Partial<Record<Step['outcome'], (text: string) => string>> = {
  failed: colours.red,
  refused: colours.red,
  stopped: colours.yellow,
  waiting: colours.yellow,
  unchanged: colours.dim,
  reverted: colours.dim,
};

/** Steps as an aligned table for people. */
export function tableOf(steps: readonly Step[]): string {
  const bar = {
    top: '',
    'top-mid': '',
    'top-left': '',
    'top-right': '',
    bottom: '',
    'bottom-mid': '',
    'bottom-left': '',
    'bottom-right': '',
  };
  const table = new Table({
    head: ['step', 'time (UTC)', 'what happened', 'because of', 'stores touched', 'changes', 'took'].map(colours.bold),
    chars: { ...bar, left: '', 'left-mid': '', mid: '', 'mid-mid': '', right: '', 'right-mid': '', middle: '  ' },
    style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0 },
    colAligns: ['right', 'left', 'left', 'left', 'left', 'right', 'right'],
  });
  for (const step of steps) {
    const failed = step.run?.phase === 'failed';
    const tone = failed
      ? colours.red
      : step.kind === 'fact'
        ? colours.cyan
        : (tones[step.outcome] ?? ((text: string) => text));
    const outcome = step.kind === 'fact' || step.outcome === 'applied' ? '' : ` (${step.outcome})`;
    table.push([
      colours.dim(String(step.seq)),
      colours.dim(new Date(step.time).toISOString().slice(11, 23)),
      tone(titleOf(step) + outcome),
      colours.dim(causeOf(step)),
      step.stores.join(', ') || colours.dim('none'),
      String(step.changes.length),
      colours.dim(`${step.took.toFixed(2)} ms`),
    ]);
  }
  return table.toString();
}
