// The line of history that a command looks at, read in two passes so that no step need be kept.
import type { FloeError } from '../core/internal.js';
import { noSuchStep, patched } from '../trace/internal.js';
import type { States, Step } from '../trace/index.js';
import { readSteps, type Source } from './input.js';
import type { Output } from './output.js';

/** What a first look at a trace tells of the line to a step. */
export interface LineToStep {
  /** The states before its first step. */
  readonly states: States;
  readonly last: number;
  readonly problem: FloeError | undefined;
  /** Calls `each` with the steps of the line, oldest first. */
  walk(each: (step: Step) => void): Promise<void>;
}

/** The line to the step with a number; without one, to the last step of the file. */
export async function lineTo(source: Source, to: number | undefined, out: Output): Promise<LineToStep> {
  const after = new Map<number, number | null>();
  /** Which line counts for a step: it may be there again, further down. */
  const places = new Map<number, number>();
  let count = 0;
  let newest = -1;
  const reader = await readSteps(source, out, (step) => {
    after.set(step.seq, step.after);
    places.set(step.seq, count++);
    newest = Math.max(newest, step.seq);
  });
  const problem = reader.end();
  const last = to ?? newest;
  if (!after.has(last) && last !== reader.folded) {
    const [first = 0] = after.keys();
    throw noSuchStep(last, first, newest);
  }
  const counts = new Set<number>();
  for (let seq: number | null | undefined = last; typeof seq === 'number' && after.has(seq); seq = after.get(seq))
    counts.add(places.get(seq)!);
  return {
    states: reader.states,
    last,
    problem,
    async walk(each) {
      let place = 0;
      await readSteps(source, out, (step) => {
        if (counts.has(place++)) each(step);
      });
    },
  };
}

/** The states after the last step of a line, and after some steps on the way. */
export async function statesAt(line: LineToStep, at: readonly number[] = []): Promise<ReadonlyMap<number, States>> {
  const found = new Map<number, States>();
  let states = line.states;
  const wanted = new Set(at);
  await line.walk((step) => {
    states = patched(states, [step]);
    if (wanted.has(step.seq)) found.set(step.seq, states);
  });
  found.set(line.last, states);
  return found;
}
