// Runs in the page of `frameworks.mjs`: rows that show values of Floe, and the same rows with the framework's own state.
import { createRuntime, store, type Read, type Source } from 'floe';
import * as angular from './angular.js';
import * as react from './react.js';
import * as svelte from './svelte.js';
import * as vue from './vue.js';

/** Rows on the page. */
export interface Rows {
  /** Shows all of them, in an element. */
  mount(place: HTMLElement): void;
  /** Makes all of them show another value, and waits until the page does. */
  change(value: number): void | Promise<void>;
  unmount(): void;
}
export type Selection = Source<number> | ((read: Read) => number);
/** Rows that show one value, or the sum of it and their index: values of Floe, or of the framework. */
export interface Sides {
  floe(n: number, selectionOf: (index: number) => Selection, model: Model): Rows | Promise<Rows>;
  own(n: number, shown: (value: number, index: number) => number): Rows | Promise<Rows>;
}
export type Model = ReturnType<typeof declare>;

function declare() {
  const watch = store('watch', { visits: 0 });
  const runtime = createRuntime({ stores: [watch] });
  const changed = watch.action('changed', (draft, visits: number) => void (draft.visits = visits));
  const visits = watch.selector('visits', (state) => state.visits);
  return { watch, runtime, visits, change: (value: number) => void runtime.dispatch(changed(value)) };
}

const frameworks: Readonly<Record<string, Sides>> = { react, vue, svelte, angular };
const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1];
const gc = (): void => (globalThis as unknown as { gc(): void }).gc();
const pause = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** Nanoseconds for mounting `n` rows, and for changing all of them. */
export async function measure(framework: string, kind: 'source' | 'function', n: number) {
  const { floe, own } = frameworks[framework];
  const times = { mount: { floe: [], peer: [] }, change: { floe: [], peer: [] } } as Record<
    'mount' | 'change',
    Record<'floe' | 'peer', number[]>
  >;
  for (let round = -3; round < 15; round++)
    for (const side of ['floe', 'peer'] as const) {
      const model = declare();
      const selectionOf = (index: number): Selection =>
        kind === 'source' ? model.visits : (read) => read(model.watch).visits + index;
      const shown = (value: number, index: number): number => (kind === 'source' ? value : value + index);
      const text = (value: number): string => Array.from({ length: n }, (_, index) => shown(value, index)).join('');
      const rows = await (side === 'floe' ? floe(n, selectionOf, model) : own(n, shown));
      const place = document.createElement('ul');
      document.body.replaceChildren(place);
      gc();
      let began = performance.now();
      rows.mount(place);
      const mounted = performance.now() - began;
      if (place.childElementCount !== n || place.textContent !== text(0)) throw new Error('rows are missing');
      await pause();
      began = performance.now();
      await rows.change(7);
      const changed = performance.now() - began;
      if (place.textContent !== text(7)) throw new Error('rows are old');
      if (round >= 0) {
        times.mount[side].push(mounted);
        times.change[side].push(changed);
      }
      rows.unmount();
      await pause();
    }
  const of = (what: 'mount' | 'change') => ({
    floe: median(times[what].floe) * 1e6,
    peer: median(times[what].peer) * 1e6,
  });
  return { mount: of('mount'), change: of('change') };
}

Object.assign(globalThis, { bench: { measure } });
