// The tasks of the simulated application: one of each way to start, to wait, to overlap and to settle.
import type { AnyAction, AnyTask } from 'floe';
import type { Blueprint, Declared, Hooks } from './application.js';
import type { Payload } from './edits.js';
import type { Library } from './library.js';
import { Planned } from './planned.js';

interface Office {
  ask(what: string): Promise<number>;
}

/** An action of each kind of store, and one that throws without it. */
const NEEDING = { tide: [0, 4], board: [0, 13], port: [1, 0] } as const;

export function declareTasks(floe: Library, blueprint: Blueprint, stores: readonly Declared[], hooks: Hooks) {
  const { overlap, naughty } = blueprint;
  const [first, second] = stores;
  const need = floe.need<Office>('office');
  /** A later action of the same work. */
  const next = ({ x, note }: Payload, mark: string): Payload => ({ x: x + 1, note: `${note}${mark}` });
  const act = ({ creators }: Declared, which: number, payload: Payload): AnyAction => creators[which](payload);
  const tasks: Record<string, AnyTask> = {
    hold: floe.task('hold', (context) => {
      hooks.context(context);
      return new Promise<void>(() => undefined);
    }),
    load: floe.task(
      first.store,
      'load',
      async ({ dispatch, use }, payload: Payload) => {
        dispatch(act(first, 0, next(payload, 'l')));
        const response = await use(need).ask('load');
        dispatch(act(second, 1, { x: response, note: `${payload.note}m` }));
        return response;
      },
      {
        overlap,
        overlapBy: ({ x }: Payload) => {
          if (naughty) hooks.naughty('overlapBy');
          return x % 2;
        },
        unless: (_read, { x }) => {
          if (naughty) hooks.naughty('unless');
          return x % 13 === 12;
        },
        keep: 2,
      },
    ),
    save: floe.task(
      second.store,
      'save',
      async ({ optimistic, use, atomic, dispatch }, payload: Payload) => {
        const { x } = payload;
        const shown =
          x % 2 === 0
            ? optimistic(act(second, 0, next(payload, 's')))
            : atomic(() => {
                dispatch(act(first, 0, next(payload, 'p')));
                const [gives, needs] = NEEDING[second.kind];
                const inner = optimistic(act(second, gives, next(payload, 'q')));
                dispatch(act(second, needs, next(payload, 'r')));
                return inner;
              });
        const response = await use(need).ask('save');
        if (response % 5 === 1) shown.confirm();
        else if (response % 5 === 2) shown.confirm(act(second, 0, { x: response, note: `${payload.note}u` }));
        else if (response % 5 === 3) shown.revert();
        else if (response % 5 === 4) throw new Planned('the office refused');
      },
      { overlap: 'queue' },
    ),
    loop: floe.task(
      first.store,
      'loop',
      async ({ each, dispatch }) => {
        for await (const { payload } of each(first.creators[2])) dispatch(act(first, 1, next(payload as Payload, 'e')));
      },
      { atStart: true },
    ),
    once: floe.task('once', async ({ next: following, dispatch }, payload: Payload) => {
      await following([second.creators[1], second.creators[2]]);
      dispatch(act(first, 1, next(payload, 'n')));
    }),
    react: floe.task(
      second.store,
      'react',
      ({ dispatch }, payload: Payload) => {
        if (payload.x % 2 === 0) dispatch(act(first, 1, next(payload, 'w')));
        if (payload.x % 7 === 6) throw new Planned('nothing to react to');
      },
      { when: second.creators[0] },
    ),
    retrying: floe.task(
      first.store,
      'retrying',
      async ({ use, sleep, dispatch }, payload: Payload) => {
        await sleep(10);
        const response = await use(need).ask('retry');
        if (response % 2 === 1) throw new Planned('try again');
        dispatch(act(first, 1, next(payload, 't')));
      },
      { retry: { times: 1, wait: 100 }, overlap: 'ignore' },
    ),
  };
  const { load } = tasks;
  tasks.parent = floe.task('parent', async ({ run }, payload: Payload) => {
    const child = run(load(payload)) as Promise<number>;
    return child;
  });
  return { tasks, need: need as never };
}
