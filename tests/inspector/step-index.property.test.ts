// Whatever happens to a history, the index that followed it says the same as one that reads it from the beginning.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from '../../src/core/index.js';
import { recording } from '../../src/trace/index.js';
import { sourceOf } from '../../src/trace/source.js';
import { StepIndex } from '../../src/inspector/history/step-index.js';
import { runs } from '../support/runs.js';
import { openPort } from './port.js';

type Move =
  | { do: 'note' | 'shut' | 'tick' | 'click' | 'idleClick' | 'scan' | 'live' | 'run' | 'settle' | 'group' | 'import' }
  | { do: 'back' | 'exclude' | 'include' | 'switch'; at: number };

const move: fc.Arbitrary<Move> = fc.oneof(
  ...(['note', 'shut', 'tick', 'click', 'idleClick', 'scan', 'live', 'run', 'settle', 'group', 'import'] as const).map(
    (one) => fc.constant({ do: one }),
  ),
  ...(['back', 'exclude', 'include', 'switch'] as const).map((one) =>
    fc.record({ do: fc.constant(one), at: fc.nat({ max: 40 }) }),
  ),
);

/** Everything that an index says. */
function said(index: StepIndex) {
  const steps = [];
  for (let position = index.first; position < index.end; position++)
    steps.push([
      position,
      index.steps.time(position),
      index.steps.marksAt(position),
      index.steps.outcome(position),
      [...index.steps.storesAt(position)],
      index.steps.moment(position),
    ]);
  return {
    steps,
    moments: index.moments.map(({ first, last, steps: count, by, interaction }, i) => ({
      ...{ first, last, count, by, did: interaction?.id },
      positions: [...index.stepsOf(i)],
    })),
    runs: [...index.runs.values()].map(({ start, end, phase, retries, moment }) => [
      start,
      end,
      phase,
      [...retries],
      moment,
    ]),
    settled: [...index.settled],
    problems: index.steps.problems,
    newest: index.notes.newest,
  };
}

test('an index that followed equals one that reads from the beginning', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(move, { minLength: 1, maxLength: 40 }), async (moves) => {
      const { runtime, click, noted, shut, ticked, assignBerth, answers } = openPort();
      const { trace } = runtime;
      const source = sourceOf(trace);
      const followed = new StepIndex(source);
      source.watch((from) => {
        if (from !== undefined && from < followed.end) followed.cut(from);
      });
      for (const one of moves) {
        try {
          await make(one);
        } catch {
          // Not possible here: a fact is not excluded, a closed branch is not switched to.
        }
      }
      followed.scan();
      const fresh = new StepIndex(source);
      fresh.scan();
      expect(said(followed)).toEqual(said(fresh));
      await runtime.close();

      async function make(one: Move): Promise<void> {
        switch (one.do) {
          case 'note':
            runtime.dispatch(noted('a note'));
            return;
          case 'shut':
            runtime.dispatch(shut());
            return;
          case 'tick':
            runtime.dispatch(ticked());
            return;
          case 'click':
            click('Note', () => {
              runtime.dispatch(noted('by a click'));
              runtime.dispatch(ticked());
            });
            return;
          case 'idleClick':
            click('Nothing');
            return;
          case 'scan':
            followed.scan();
            return;
          case 'live':
            trace.live();
            return;
          case 'run':
            click('Assign', () => void runtime.run(assignBerth('v1', 'N2')).catch(() => undefined));
            return;
          case 'settle':
            if (answers.length % 2 === 0) answers.pop()?.confirm();
            else answers.pop()?.refuse('no');
            for (let i = 0; i < 8; i++) await Promise.resolve();
            return;
          case 'group':
            runtime.atomic(() => {
              runtime.dispatch(noted('x'));
              runtime.dispatch(shut());
            });
            return;
          case 'import':
            trace.import(trace.export());
            return;
          case 'back':
            trace.seek(trace.steps[one.at % trace.steps.length].seq);
            return;
          case 'exclude':
            trace.exclude(trace.steps[one.at % trace.steps.length].seq, { withCaused: true });
            return;
          case 'include':
            trace.include(trace.steps[one.at % trace.steps.length].seq, { withCaused: true });
            return;
          case 'switch':
            trace.switchTo(trace.branches[one.at % trace.branches.length].id);
        }
      }
    }),
    { numRuns: runs(150) },
  );
}, 60_000);

test('an index that comes too late for steps that were folded knows those that are kept', () => {
  let now = 0;
  const tide = store('tide', { level: 0 });
  const rose = tide.action('rose', (draft) => void draft.level++);
  const runtime = createRuntime({ stores: [tide], trace: recording({ limit: 20 }), clock: () => ++now });
  const source = sourceOf(runtime.trace);
  const index = new StepIndex(source);
  const rise = (times: number): void => {
    for (let i = 0; i < times; i++) runtime.dispatch(rose());
    index.scan();
  };
  rise(5);
  rise(200);
  expect(index.first).toBe(source.first);
  for (let position = index.first; position < source.end; position++) {
    expect(index.steps.time(position)).toBe(source.at(position)!.time);
    expect([...index.stepsOf(index.steps.moment(position))]).toEqual([position]);
  }
});

test('what is known of a long session does not grow: moments whose steps are folded keep their numbers, and nothing else', () => {
  const { runtime, keyed, click } = openPort({ limit: 100 });
  const index = new StepIndex(sourceOf(runtime.trace));
  for (let i = 0; i < 20_000; i++) {
    if (i % 10 === 0) click(`Note ${i}`, () => runtime.dispatch(keyed(`${i}`)));
    else runtime.dispatch(keyed(`${i}`));
    if (i % 50 === 0) index.scan();
  }
  index.scan();
  expect(index.moments.length).toBeGreaterThan(19_000);
  expect(new Set(index.moments).size).toBeLessThan(5000);
  const newest = index.moments.at(-1)!;
  expect([newest.steps, newest.last]).toEqual([1, index.end - 1]);
  expect([...index.stepsOf(index.firstMoment)][0]).toBe(index.first);
  // Numbers stay when steps are computed again.
  const { firstMoment } = index;
  index.cut(index.end - 10);
  index.scan();
  expect(index.firstMoment).toBe(firstMoment);
});
