// Runs in the page of `react.mjs`: Floe and what one would write by hand instead, in turns. Milliseconds and microseconds.
import { createRuntime, store, type Source } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { RuntimeProvider, useSelection } from 'floe/react';
import { recording } from 'floe/trace';
import { memo, type ReactElement } from 'react';
import { flushSync } from 'react-dom';
import { createRoot, type Root } from 'react-dom/client';
import { keyedStore, rows, type Row, type Side } from './react-peers.jsx';

const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1];

const Item = ({ row }: { readonly row: Row }) => (
  <li>
    {row.name}: {row.value}
  </li>
);

/** A store as a user declares it: rows by key, or as a list. */
function declare(n: number) {
  const row = entity('row', rowOf<Row>(), { key: 'id' });
  const table = tables('rows', [row]);
  const list = store('list', () => ({ all: rows(n) }));
  return {
    table,
    list,
    row,
    byId: (id: string) => table.one(row, id),
    inList: list.selector('at', (state, index: number) => state.all[index]),
    changed: table.action('changed', (draft, { id, value }: { id: string; value: number }) => {
      draft.row.get(id)!.value = value;
    }),
    listChanged: list.action('changed', (draft, { index, value }: { index: number; value: number }) => {
      draft.all[index].value = value;
    }),
  };
}

function floe(n: number, kind: 'table' | 'list', trace = false) {
  const { table, list, row, byId, inList, changed, listChanged } = declare(n);
  const runtime = createRuntime({ stores: [kind === 'table' ? table : list], ...(trace && { trace: recording() }) });
  if (kind === 'table') runtime.dispatch(table.put(row, rows(n)));
  const sourceOf = (index: number): Source<Row> =>
    (kind === 'table' ? byId(`r${index}`) : inList(index)) as Source<Row>;
  const Line = memo(({ index }: { readonly index: number }) => <Item row={useSelection(sourceOf(index))} />);
  return {
    runtime,
    element: (
      <RuntimeProvider runtime={runtime}>
        <ul>
          {rows(n).map((row, index) => (
            <Line key={row.id} index={index} />
          ))}
        </ul>
      </RuntimeProvider>
    ),
    change: (index: number, value: number) =>
      void runtime.dispatch(kind === 'table' ? changed({ id: `r${index}`, value }) : listChanged({ index, value })),
  };
}

function mount(element: ReactElement): Root {
  const place = document.createElement('div');
  document.body.append(place);
  const root = createRoot(place);
  flushSync(() => root.render(element));
  return root;
}

const unmount = (root: Root): void => {
  flushSync(() => root.unmount());
  document.body.replaceChildren();
};

const gc = (): void => (globalThis as unknown as { gc(): void }).gc();
const pause = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** Mounting `n` rows, effects included. */
export async function mounting(n: number) {
  const times = { floe: [] as number[], peer: [] as number[] };
  for (let round = -2; round < 9; round++)
    for (const [name, side] of [
      ['floe', floe(n, 'table')],
      ['peer', keyedStore(n)],
    ] as const) {
      gc();
      const began = performance.now();
      const root = mount(side.element);
      // Subscribing happens in effects that follow.
      flushSync(() => undefined);
      const took = performance.now() - began;
      if (round >= 0) times[name].push(took);
      unmount(root);
      await pause();
    }
  return { floe: median(times.floe) * 1e6, peer: median(times.peer) * 1e6 };
}

/** One dispatch that hits one of `n` mounted rows; React's rendering is not counted. */
export async function changing(n: number, kind: 'table' | 'list') {
  const sides: [string, Side | ReturnType<typeof floe>][] = [
    ['floe', floe(n, kind)],
    ['peer', keyedStore(n)],
  ];
  const times: Record<string, number[]> = { floe: [], peer: [] };
  const roots = sides.map(([, side]) => mount(side.element));
  await pause();
  gc();
  let value = 0;
  for (let round = -20; round < 200; round++)
    for (const [name, side] of sides) {
      let took = 0;
      // Each is rendered before the next, as when a user types; twenty at a time, since the clock of a page is coarse.
      for (let i = 0; i < 20; i++) {
        const index = Math.abs(round * 7919 + i * 13) % n;
        const began = performance.now();
        side.change(index, ++value);
        took += performance.now() - began;
        flushSync(() => undefined);
      }
      if (round >= 0) times[name].push(took / 20);
      if (round % 10 === 0) await pause();
    }
  for (const root of roots) unmount(root);
  return { floe: median(times.floe) * 1e6, peer: median(times.peer) * 1e6 };
}

/** One step back and forward again with `n` mounted rows; by hand the rows of before are put back. */
export async function travelling(n: number) {
  const recorded = floe(n, 'table', true);
  const peer = keyedStore(n);
  const roots = [mount(recorded.element), mount(peer.element)];
  await pause();
  recorded.change(5, 1000);
  peer.change(5, 1000);
  flushSync(() => undefined);
  const { trace } = recorded.runtime as unknown as { trace: { back(): void; forward(): void } };
  const times = { floe: [] as number[], peer: [] as number[] };
  for (let round = -20; round < 200; round++) {
    let began = performance.now();
    flushSync(() => trace.back());
    flushSync(() => trace.forward());
    let took = performance.now() - began;
    if (round >= 0) times.floe.push(took / 2);
    await pause();
    began = performance.now();
    flushSync(() => peer.change(5, 5));
    flushSync(() => peer.change(5, 1000));
    took = performance.now() - began;
    if (round >= 0) times.peer.push(took / 2);
    await pause();
  }
  for (const root of roots) unmount(root);
  return { floe: median(times.floe) * 1e6, peer: median(times.peer) * 1e6 };
}

Object.assign(globalThis, { bench: { mounting, changing, travelling } });
