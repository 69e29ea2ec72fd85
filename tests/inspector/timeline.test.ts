// Time as it is drawn: lanes, bars of tasks, spans of optimistic actions, threads of causes, bands, folds and branches.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, task } from 'floe';
import { recording } from 'floe/trace';
import { handClock } from 'floe/testing';
import { runs } from '../support/runs.js';
import { openPort, settle, toRuntime } from './port.js';

test('tasks are bars, with their retries and how they ended; optimistic actions span until they are settled', async () => {
  const { runtime, click, assignBerth, answers, log, noted } = openPort();
  let tries = 0;
  const save = task(
    log,
    'save',
    ({ dispatch }) => {
      if (tries++ < 2) return Promise.reject(new Error('no paper'));
      dispatch(noted('saved'));
      return Promise.resolve();
    },
    { retry: { times: 3 } },
  );
  const wait = task(log, 'wait', ({ sleep }) => sleep(60_000));
  const { ask } = toRuntime(runtime);
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')).catch(() => undefined));
  answers[0].refuse('dredged');
  await settle();
  click('Save', () => void runtime.run(save()));
  for (let i = 0; i < 10; i++) await new Promise((resolve) => setTimeout(resolve, 1));
  const run = runtime.run(wait());
  run.catch(() => undefined);
  run.cancel();
  const { moments } = await ask('status', {});
  const drawn = await ask('timeline', { width: 900, moment: moments - 2 });
  expect(drawn.bars.map(({ label, phase, retries, chosen }) => [label, phase, retries.length, chosen])).toEqual([
    ['port.assignBerth', 'failed', 0, undefined],
    ['log.save', 'done', 2, true],
    ['log.wait', 'cancelled', 0, undefined],
  ]);
  expect(drawn.spans.map(({ settled }) => settled)).toEqual(['reverted']);
  const lane = (name: string): number => drawn.lanes.findIndex((one) => one.name === name);
  // The run dispatched what the thread leads to.
  expect(drawn.threads).toMatchObject([{ lane0: lane('tasks'), lane1: lane('log'), by: 'task' }]);
  expect(drawn.marks.filter(({ chosen }) => chosen)).toHaveLength(1);
  expect(drawn.chosen!.x1).toBeGreaterThan(drawn.chosen!.x0);
});

test('at most six stores have a lane, those of the chosen moment among them; others can be chosen', async () => {
  const stores = Array.from({ length: 9 }, (_, i) => store(`s${i}`, { n: 0 }));
  const bumped = stores.map((one) =>
    one.action('bumped', (draft) => {
      draft.n++;
    }),
  );
  const runtime = createRuntime({ stores, trace: recording() });
  for (let i = 0; i < 9; i++) for (let n = 0; n < 9 - i; n++) runtime.dispatch(bumped[i]());
  const { ask } = toRuntime(runtime);
  const { moments } = await ask('status', {});
  const names = ({ lanes }: { lanes: readonly { name: string }[] }): string[] => lanes.map(({ name }) => name);
  const drawn = await ask('timeline', { width: 600, moment: moments - 1 });
  expect(names(drawn)).toEqual(['s0', 's1', 's2', 's3', 's4', 's8']);
  expect(drawn.moreLanes).toEqual(['s5', 's6', 's7']);
  expect(names(await ask('timeline', { width: 600, stores: ['s7', 's6'] }))).toEqual(['s6', 's7']);
});

test('actions that are not listed are a band with their count, and a search marks what it found', async () => {
  const { runtime, ticked, noted } = openPort();
  runtime.dispatch(noted('fog'));
  for (let i = 0; i < 38; i++) runtime.dispatch(ticked());
  const { ask } = toRuntime(runtime);
  const drawn = await ask('timeline', { width: 600, find: { text: 'fog' } });
  expect(drawn.marks.filter(({ matches }) => matches)).toHaveLength(1);
  expect(drawn.hasEnd).toBe(true);
});

test('marks stand in order inside of the width, and pieces of time join without gaps', () => {
  const clock = handClock();
  const visits = store('visits', { n: 0 });
  const bumped = visits.action('bumped', (draft) => {
    draft.n++;
  });
  return fc.assert(
    fc.asyncProperty(
      fc.array(fc.oneof(fc.integer({ min: 0, max: 30 }), fc.integer({ min: 0, max: 4_000_000 })), { maxLength: 60 }),
      fc.integer({ min: 130, max: 1600 }),
      fc.nat(60),
      async (gaps, width, moment) => {
        const runtime = createRuntime({ stores: [visits], trace: recording(), clock });
        for (const gap of gaps) {
          await clock.advance(gap);
          runtime.dispatch(bumped());
        }
        const { ask, end } = toRuntime(runtime);
        const chosen = Math.min(moment, gaps.length);
        for (const window of [{}, { around: chosen }]) {
          const { pieces, marks, from, to, hasEnd } = await ask('timeline', { width, moment: chosen, ...window });
          if (!('around' in window)) expect(hasEnd).toBe(true);
          const base = marks.filter((mark) => !mark.chosen).map(({ x }) => x);
          expect(base).toEqual([...base].sort((a, b) => a - b));
          for (const { x } of marks) expect(x >= 0 && x <= width + 1).toBe(true);
          expect([pieces[0].from, pieces.at(-1)!.to]).toEqual([from, to]);
          for (const [i, piece] of pieces.slice(1).entries()) {
            expect(piece.from).toBe(pieces[i].to);
            expect(Math.abs(piece.x0 - pieces[i].x1)).toBeLessThan(0.01);
          }
          expect(marks.length).toBeLessThan(width + 100);
        }
        end();
        await runtime.close();
      },
    ),
    { numRuns: runs(100) },
  );
});
