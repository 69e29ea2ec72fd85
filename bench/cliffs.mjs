// What ten times the work costs: where it is much more than ten times as much, an application falls off a cliff.
import { createRuntime, store, task } from '../dist/core/index.js';
import { recording } from '../dist/trace/index.js';
import { rows as rebaseRows } from './rebase.mjs';
import { measure } from './run.mjs';

const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];

/** Milliseconds that a work takes for each of two sizes, in turns: ten times the small one, then once the large one. */
async function tenTimes(work, few, rounds = 5) {
  const times = { floe: [], peer: [] };
  for (let round = -1; round < rounds; round++) {
    let small = 0;
    for (let i = 0; i < 10; i++) small += await work(few);
    const large = await work(few * 10);
    if (round < 0) continue;
    times.peer.push((small / 10) * 1e6);
    times.floe.push(large * 1e6);
  }
  return { floe: median(times.floe), peer: median(times.peer) };
}

/** Runs with different arguments, all at once, until each has ended. */
async function concurrentRuns(count) {
  const wait = [];
  const save = task('save', (...given) => new Promise((resolve) => wait.push([given[1], resolve])));
  const runtime = createRuntime();
  const began = performance.now();
  const runs = Array.from({ length: count }, (_, row) => runtime.run(save(row)));
  for (const [, resolve] of wait) resolve();
  await Promise.all(runs);
  const took = performance.now() - began;
  await runtime.close();
  return took;
}

/** Stores that join one by one, each when it is first read. */
function tracedJoins(count) {
  const stores = Array.from({ length: count }, (_, i) => store(`store${i}`, { n: 0 }));
  const runtime = createRuntime({ trace: recording({ limit: 100_000 }) });
  const began = performance.now();
  for (const one of stores) runtime.read(one);
  return performance.now() - began;
}

/** Watchers of one store, of a selection each or all of one, stopped in the order in which they began. */
function stopped(count, isOne) {
  const berths = store('berths', { list: Array.from({ length: count }, (_, i) => i) });
  const at = berths.selector('at', (state, i) => state.list[i]);
  const runtime = createRuntime({ stores: [berths] });
  const stops = Array.from({ length: count }, (_, i) => runtime.watch(at(isOne ? 0 : i), () => {}));
  const began = performance.now();
  for (const stop of stops) stop();
  return performance.now() - began;
}

/** An edit in one of many keys, in development, where states are checked and frozen. */
function wideEdit(count) {
  const begin = () => Object.fromEntries(Array.from({ length: count }, (_, i) => [`v${i}`, { calls: 0 }]));
  const vessels = store('vessels', { by: begin() });
  const called = vessels.action('called', (draft, key) => {
    draft.by[key].calls++;
  });
  const runtime = createRuntime({ stores: [vessels] });
  let hand = { by: begin() };
  const took = measure(
    {
      floe: (i) => runtime.dispatch(called(`v${i}`)),
      peer: (i) => {
        const key = `v${i}`;
        hand = { ...hand, by: { ...hand.by, [key]: { ...hand.by[key], calls: hand.by[key].calls + 1 } } };
      },
    },
    { calls: 5, rounds: 9 },
  );
  if (runtime.read(vessels).by.v3.calls !== hand.by.v3.calls) throw new Error('the two did not do the same work');
  return took;
}

/** A flag of one of many rows, in development. */
function rowEdit(count) {
  const rows = () => Array.from({ length: count }, (_, id) => ({ id, done: false }));
  const list = store('list', { rows: rows() });
  const toggled = list.action('toggled', (draft, at) => {
    draft.rows[at].done = !draft.rows[at].done;
  });
  const runtime = createRuntime({ stores: [list] });
  let state = { rows: rows() };
  const took = measure({
    floe: (i) => runtime.dispatch(toggled(i % count)),
    peer(i) {
      const next = [...state.rows];
      next[i % count] = { ...next[i % count], done: !next[i % count].done };
      state = { ...state, rows: next };
    },
  });
  // Each has done as much as there was time for.
  const isDone = runtime.read(list).rows[7].done;
  runtime.dispatch(toggled(7));
  if (runtime.read(list).rows[7].done === isDone) throw new Error('the row was not edited');
  return took;
}

/** Edits of a whole list of rows, each of five containers: what is by hand one copy of the list. */
const LIST_EDITS = {
  shift: (list, i, row) => void (i % 2 === 0 ? list.shift() : list.unshift(row)),
  splice: (list, i, row) =>
    void (i % 2 === 0 ? list.splice(list.length >> 1, 1) : list.splice(list.length >> 1, 0, row)),
  reverse: (list) => void list.reverse(),
};

function listEdit(count, how) {
  const row = (id) => ({ id, crew: [id], tugs: [], at: { quay: 'N', berth: { n: id } } });
  const begin = () => Array.from({ length: count }, (_, id) => row(id));
  const list = store('list', { rows: begin() });
  const edit = LIST_EDITS[how];
  const again = [count >> 1, 0].map(row);
  const given = how === 'shift' ? again[1] : again[0];
  const edited = list.action('edited', (draft, i) => edit(draft.rows, i, given));
  const runtime = createRuntime({ stores: [list] });
  let state = { rows: begin() };
  const turns = { floe: 0, peer: 0 };
  const took = measure(
    {
      floe: () => runtime.dispatch(edited(turns.floe++)),
      peer() {
        const next = [...state.rows];
        edit(next, turns.peer++, given);
        state = { ...state, rows: next };
      },
    },
    { calls: 20, rounds: 9 },
  );
  // Each has done as much as there was time for.
  if ((turns.floe - turns.peer) % 2 !== 0) runtime.dispatch(edited(turns.floe));
  if (JSON.stringify(runtime.read(list)) !== JSON.stringify(state)) throw new Error('the two did not do the same work');
  return took;
}

export const rows = [
  ...Object.keys(LIST_EDITS).flatMap((how) =>
    [10_000, 100_000].map((count) => ({
      work: `${how} in a list of ${count.toLocaleString('en')} rows of five containers`,
      against: 'a copy of the list by hand',
      most: 2,
      run: () => listEdit(count, how),
    })),
  ),
  {
    work: 'an edit in a list of 100,000 rows, in development',
    against: 'three spreads by hand',
    most: 2,
    mode: 'development',
    run: () => rowEdit(100_000),
  },
  {
    work: 'an edit in an object of 100,000 keys, in development',
    against: 'two spreads by hand',
    most: 1.5,
    mode: 'development',
    run: () => wideEdit(100_000),
  },
  {
    work: '3,000 concurrent runs with different arguments',
    against: '300',
    most: 15,
    run: () => tenTimes(concurrentRuns, 300),
  },
  {
    work: '2,000 stores that join one by one, traced',
    against: '200',
    most: 15,
    run: () => tenTimes(tracedJoins, 200),
  },
  ...rebaseRows,
  {
    work: '100,000 watchers of their own selections, stopped in the order in which they began',
    against: '10,000',
    most: 15,
    run: () => tenTimes((count) => stopped(count, false), 10_000),
  },
  {
    work: '100,000 watchers of one selection, stopped in the order in which they began',
    against: '10,000',
    most: 15,
    run: () => tenTimes((count) => stopped(count, true), 10_000),
  },
];
