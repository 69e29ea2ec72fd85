// An optimistic action is confirmed or reverted exactly once, in whatever order it is held, queued, passed on and its run ends.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, task } from 'floe';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { hostOf } from '../../src/core/kernel/attachment.js';
import { confirmedStates, shownStates } from '../../src/core/kernel/states.js';

type End = 'done' | 'failed' | 'cancelled';
type Event = 'end' | 'proceed' | 'confirm' | 'revert' | 'replace';

const ends: readonly End[] = ['done', 'failed', 'cancelled'];

/** All orders of these events. */
const ordersOf = (events: readonly Event[]): Event[][] =>
  events.length === 0
    ? [[]]
    : events.flatMap((event, i) => ordersOf(events.filter((_, at) => at !== i)).map((rest) => [event, ...rest]));

/** Of an action that is held or not, and settled by its run or not: everything that can happen, in every order. */
const scenarios = [false, true].flatMap((isHeld) =>
  [false, true].flatMap((isQueued) =>
    ([[], ['confirm'], ['revert'], ['replace'], ['confirm', 'revert']] as Event[][]).flatMap((settled) =>
      ends.flatMap((end) =>
        ordersOf(['end', ...(isHeld ? (['proceed'] as const) : []), ...settled]).map((order) => ({
          ...{ isHeld, isQueued, end, order },
        })),
      ),
    ),
  ),
);

const settle = async (): Promise<void> => {
  for (let i = 0; i < 6; i++) await Promise.resolve();
};

async function play({ isHeld, isQueued, end, order }: (typeof scenarios)[number], isTraced: boolean): Promise<void> {
  const tide = store('tide', { level: 50, note: '' }).persisted();
  const raised = tide.action('raised', (draft, by: number) => {
    draft.level += by;
  });
  const noted = tide.action('noted', (draft, note: string) => {
    draft.note = note;
  });
  const ending: { done?: () => void; fail?: (error: unknown) => void } = {};
  const held: (() => void)[] = [];
  let change: { confirm(action?: ReturnType<typeof raised>): void; revert(): void } | undefined;
  const measure = task(tide, 'measure', ({ optimistic }) => {
    change = optimistic(raised(1));
    return new Promise<void>((resolve, reject) => Object.assign(ending, { done: resolve, fail: reject }));
  });
  const runtime = createRuntime({
    stores: [tide],
    storage: memoryStorage(),
    ...(isTraced && { trace: recording() }),
    interceptors: [
      (action, { proceed }) => {
        if (isHeld && action.type === raised(1).type && held.length === 0) held.push(() => void proceed());
        else proceed();
      },
    ],
    onProblem: () => undefined,
  });
  let run: ReturnType<typeof runtime.run<void>> | undefined;
  const start = (): void => {
    run = runtime.run(measure());
    run.catch(() => undefined);
  };
  if (isQueued) {
    const stop = runtime.watch(tide, () => {
      stop();
      start();
    });
    runtime.dispatch(noted('low water'));
  } else start();
  await settle();
  for (const event of order) {
    if (event === 'proceed') for (const proceed of held.splice(0)) proceed();
    else if (event === 'confirm') change!.confirm();
    else if (event === 'revert') change!.revert();
    else if (event === 'replace') change!.confirm(raised(7));
    else if (end === 'done') ending.done!();
    else if (end === 'failed') ending.fail!(new Error('the gauge is stuck'));
    else run!.cancel();
    await settle();
  }
  const host = hostOf(runtime);
  const scenario = JSON.stringify({ isHeld, isQueued, end, order });
  // Nothing is left pending: what is shown is what storages keep, and it is one of the levels that there can be.
  expect({ scenario, pending: host.features.attending !== undefined }).toEqual({ scenario, pending: false });
  expect({ scenario, states: confirmedStates(host) }).toEqual({ scenario, states: shownStates(host) });
  // What takes the place of one that its run has settled is news of its own.
  expect([50, 51, 57, 58]).toContain(runtime.read(tide).level);
  // What the work asks for while the action is held comes before the end of its run.
  const early = order.slice(0, Math.max(0, order.indexOf('proceed')));
  const asked = early.find((event) => event !== 'end') ?? order.find((event) => event !== 'proceed');
  const isStopped = isHeld && end !== 'done' && order.indexOf('proceed') > order.indexOf('end');
  const expected =
    isStopped || asked === 'revert' || (asked === 'end' && end !== 'done') ? 50 : asked === 'replace' ? 57 : 51;
  // A replacement is news of its own where the run had failed before.
  if (!order.includes('replace'))
    expect({ scenario, level: runtime.read(tide).level }).toEqual({ scenario, level: expected });
  if (!('trace' in runtime)) return;
  const { steps } = (runtime as unknown as { trace: { steps: { fact?: string; outcome: string; action?: object }[] } })
    .trace;
  const applied = steps.filter(
    ({ action, outcome }) => action && 'type' in action && action.type === 'tide.raised' && outcome === 'applied',
  );
  const settled = steps.filter(({ fact }) => fact === 'confirmed' || fact === 'reverted');
  expect({ scenario, settled: settled.length }).toEqual({ scenario, settled: isStopped ? 0 : 1 });
  expect(applied.length).toBeLessThanOrEqual(2);
}

describe.each([
  ['with a trace', true],
  ['without', false],
])('%s', (_name, isTraced) => {
  test(`all ${scenarios.length} orders leave nothing pending`, async () => {
    for (const scenario of scenarios) await play(scenario, isTraced);
  });
});
