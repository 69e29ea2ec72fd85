// The stores of the tests of bindings, and one component: it counts visits, names the one with a number that is state of its
// own, and says whether stored states were read.
import { createRuntime, store, task, type DispatchResult, type Run, type Runtime } from 'floe';
import { memoryStorage } from 'floe/persist';
import type { Setup } from './kit.js';

export const visits = store('visits', { names: ['Ern', 'Tern', 'Skua'], note: '' }).persisted();
export const renamed = visits.action('renamed', (draft, { at, name }: { at: number; name: string }) => {
  draft.names[at] = name;
});
export const planned = visits.action('planned', (draft, name: string) => void draft.names.push(name));
export const noted = visits.action('noted', (draft, note: string) => void (draft.note = note));
/** How often selectors ran. */
export const ran = { count: 0 };
export const count = visits.selector('count', ({ names }) => {
  ran.count++;
  return names.length;
});
export const nameOf = visits.selector('nameOf', ({ names }, at: number) => {
  ran.count++;
  return names[at];
});
export const load = task(visits, 'load', ({ dispatch }, name: string) => {
  dispatch(planned(name));
  return Promise.resolve(name);
});

/** What a test does with the component. */
export interface Board {
  renders: number;
  /** State of its own: the number of the visit that it names. */
  own: { at: number };
  plan(name: string): DispatchResult;
  load(name: string): Run<string>;
  /** Reached by what it selects: it is in memory as long as the component is. */
  readonly first: { at: number };
}

export const boardSetup =
  (board: Partial<Board> = {}): Setup =>
  (kit) => {
    const own = kit.state({ at: 0 });
    const first = board.first ?? { at: 0 };
    const all = kit.select(count);
    const name = kit.select((read) => read(nameOf(first.at + own.at)));
    const isReady = kit.ready();
    Object.assign(board, { own, first, plan: kit.action(planned), load: kit.task(load) });
    return () => {
      board.renders = (board.renders ?? 0) + 1;
      return `${all()} ${name()}${isReady() ? '' : ' reading'}`;
    };
  };

export const newRuntime = (given: object = {}): Runtime =>
  createRuntime({ stores: [visits], storage: memoryStorage(), ...given });
