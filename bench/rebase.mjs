// What it costs to revert an optimistic action, against dispatching the actions after it once more.
import { createRuntime, store, task } from '../dist/core/index.js';
import { entity, rowOf, tables } from '../dist/entities/index.js';

const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];

/** Keys and rows that are there before the optimistic actions. */
const THERE = 1000;
const keys = Array.from({ length: THERE }, (_, i) => [`k${i}`, 0]);
const rowsThere = Array.from({ length: THERE }, (_, i) => ({ id: `v${i}`, calls: 0 }));

/** What an action edits: how a store and its action are declared, and how many items are there afterwards. */
const EDITS = {
  'existing keys'() {
    const cargo = store('cargo', () => ({ by: Object.fromEntries(keys) }));
    const edited = cargo.action('edited', (draft, i) => void (draft.by[`k${i}`] = i + 1));
    return { store: cargo, edited, sizeOf: ({ by }) => Object.values(by).filter(Boolean).length };
  },
  'new keys'() {
    const cargo = store('cargo', () => ({ by: {} }));
    const edited = cargo.action('edited', (draft, i) => void (draft.by[`k${i}`] = i));
    return { store: cargo, edited, sizeOf: ({ by }) => Object.keys(by).length };
  },
  pushes() {
    const cargo = store('cargo', () => ({ list: [] }));
    const edited = cargo.action('edited', (draft, i) => void draft.list.push({ id: i }));
    return { store: cargo, edited, sizeOf: ({ list }) => list.length };
  },
  'table rows'() {
    const vessel = entity('vessels', rowOf(), { key: 'id' });
    const harbour = tables('harbour', [vessel]);
    const edited = harbour.action('edited', (draft, i) => void (draft.vessels.get(`v${i}`).calls = i + 1));
    const begin = (runtime) => runtime.dispatch(harbour.put(vessel, rowsThere));
    const sizeOf = ({ vessels }) => Array.from(vessels.values()).filter(({ calls }) => calls > 0).length;
    return { store: harbour, edited, sizeOf, begin };
  },
};

/** Nanoseconds to revert the oldest of some optimistic actions, and to dispatch those after it, in turns. */
function reverted(what, count, { rounds = 41, together = 1 } = {}) {
  const times = { floe: [], peer: [] };
  const declared = EDITS[what]();
  for (let round = -10; round < rounds; round++) {
    const [optimistic, plain] = [runtimeOf(declared), runtimeOf(declared)];
    let pending = [];
    const edit = task('edit', ({ optimistic: show, signal }) => {
      pending = Array.from({ length: count }, (_, i) => show(declared.edited(i)));
      return new Promise((resolve) => signal.addEventListener('abort', resolve));
    });
    void optimistic.run(edit()).catch(() => {});
    const actions = Array.from({ length: count - together }, (_, i) => declared.edited(i + together));
    const floe = timed(() =>
      together === 1
        ? pending[0].revert()
        : optimistic.batch(() => {
            for (const one of pending.slice(0, together)) one.revert();
          }),
    );
    const peer = timed(() => {
      for (const action of actions) plain.dispatch(action);
    });
    for (const runtime of [optimistic, plain])
      if (declared.sizeOf(runtime.read(declared.store)) !== count - together)
        throw new Error('the two did not do the same work');
    void optimistic.close();
    if (round < 0) continue;
    times.floe.push(floe);
    times.peer.push(peer);
  }
  return { floe: median(times.floe), peer: median(times.peer) };
}

function runtimeOf({ store: one, begin }) {
  const runtime = createRuntime({ stores: [one] });
  begin?.(runtime);
  return runtime;
}

function timed(work) {
  const began = process.hrtime.bigint();
  work();
  return Number(process.hrtime.bigint() - began);
}

export const rows = [
  ...Object.keys(EDITS).flatMap((what) =>
    [100, 500].map((count) => ({
      work: `the oldest of ${count} pending optimistic actions is reverted (${what})`,
      against: 'dispatching those after it again',
      most: 1.5,
      run: () => reverted(what, count),
    })),
  ),
  {
    work: '250 of 500 pending optimistic actions are reverted in one batch (new keys)',
    against: 'dispatching those after them again',
    most: 1.5,
    run: () => reverted('new keys', 500, { together: 250 }),
  },
];
