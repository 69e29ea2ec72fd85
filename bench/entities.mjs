// The entities' rows of the benchmark.
import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { createRuntime } from '../dist/core/index.js';
import { byKind, entity, listOf, rowOf, tables } from '../dist/entities/index.js';
import { handNormalize, handStore, streamStore } from './peers.mjs';
import { measure } from './run.mjs';

const phases = ['expected', 'alongside', 'departed', 'cancelled'];

/** Flat rows of visits, with arrivals all over the day. */
export const flatVisits = (count) =>
  Array.from({ length: count }, (_, i) => ({
    id: `v${i}`,
    phase: phases[i % 4],
    arrives: (i * 7919) % 1440,
    priority: i % 5,
  }));

/** A store with one table of so many visits. */
function port(count) {
  const visit = entity('visit', rowOf(), { key: 'id' });
  const store = tables('port', [visit]);
  const runtime = createRuntime({ stores: [store] });
  runtime.dispatch(store.put(visit, flatVisits(count)));
  const bumped = store.action('bumped', (draft, key) => {
    draft.visit.get(key).priority += 1;
  });
  return { visit, store, runtime, bump: (i) => runtime.dispatch(bumped(`v${(i * 31) % count}`)) };
}

const oneOfMany = () => measure({ floe: port(100_000).bump, peer: port(100).bump });

function againstSpreading() {
  const { bump } = port(10_000);
  const hand = handStore(Object.fromEntries(flatVisits(10_000).map((row) => [row.id, row])), (state, key) => ({
    ...state,
    [key]: { ...state[key], priority: state[key].priority + 1 },
  }));
  let seen;
  hand.watch((state) => (seen = state));
  const took = measure({ floe: bump, peer: (i) => hand.send(`v${(i * 31) % 10_000}`) }, { calls: 20, rounds: 21 });
  if (!seen) throw new Error('no watcher was notified');
  return took;
}

function setting() {
  const { store, runtime, visit } = port(100_000);
  const SETS = 1000;
  const row = (i, n) => ({ id: `v${i}`, phase: 'expected', arrives: n, priority: 9 });
  const filled = store.action('filled', (draft, { from }) => {
    for (let n = 0; n < SETS; n++) {
      const i = (from + n * 97) % 100_000;
      draft.visit.set(`v${i}`, row(i, from));
    }
  });
  const map = new Map(flatVisits(100_000).map((one) => [one.id, one]));
  const took = measure(
    {
      floe: (i) => runtime.dispatch(filled({ from: i + 5000 })),
      peer: (from) => {
        for (let n = 0; n < SETS; n++) {
          const i = (from + n * 97) % 100_000;
          map.set(`v${i}`, row(i, from));
        }
      },
    },
    { calls: 10, rounds: 31 },
  );
  if (runtime.read(store.one(visit, 'v5000')).priority !== 9) throw new Error('nothing was set');
  return took;
}

/** A runtime in which so many of 10,000 rows are watched; the change is of one that is. */
function watchedRows(count, notified) {
  const { store, runtime, visit } = port(10_000);
  for (let i = 0; i < count; i++) runtime.watch(store.one(visit, `v${i}`), notified);
  const bumped = store.action('watched', (draft, key) => {
    draft.visit.get(key).priority += 1;
  });
  return (i) => runtime.dispatch(bumped(`v${i % 10}`));
}
const bumpRow = (state, i) => {
  const rows = state.rows.slice();
  rows[i] = { ...rows[i], priority: rows[i].priority + 1 };
  return { rows };
};
const watchedBy = (watchPart, notified) => {
  for (let i = 0; i < 10_000; i++) watchPart((state) => state.rows[i], notified);
};

function manyRowsAgainstFew() {
  let notified = 0;
  const notify = () => notified++;
  const took = measure({ floe: watchedRows(10_000, notify), peer: watchedRows(10, notify) }, { calls: 500 });
  if (notified === 0) throw new Error('no watcher was notified');
  return took;
}
function againstLoop() {
  let notified = 0;
  const notify = () => notified++;
  const hand = handStore({ rows: flatVisits(10_000) }, bumpRow);
  watchedBy(hand.watchPart, notify);
  return measure({ floe: watchedRows(10_000, notify), peer: (i) => hand.send(i % 10) }, { calls: 100, rounds: 21 });
}
function againstStreams() {
  let notified = 0;
  const notify = () => notified++;
  const streams = streamStore({ rows: flatVisits(10_000) }, bumpRow);
  watchedBy(streams.watchPart, notify);
  return measure({ floe: watchedRows(10_000, notify), peer: (i) => streams.send(i % 10) }, { calls: 40, rounds: 11 });
}

function iterating() {
  const { store, runtime } = port(100_000);
  const table = runtime.read(store).visit;
  const map = new Map(table);
  let sum = 0;
  const over = (rows) => () => {
    for (const [, row] of rows) sum += row.priority;
  };
  const took = measure({ floe: over(table), peer: over(map) }, { calls: 3, rounds: 31 });
  if (sum === 0) throw new Error('nothing was seen');
  return took;
}

/** 100,000 visits as the office nests them; vessels, operators, places and crew come up again and again. */
export const nestedVisits = (count = 100_000) =>
  Array.from({ length: count }, (_, i) => ({
    id: `v${i}`,
    phase: phases[i % 4],
    arrives: (i * 7919) % 1440,
    vessel: {
      hull: `h${i % 5000}`,
      name: `Vessel ${i % 5000}`,
      draught: 3 + (i % 5),
      operator: { id: `o${i % 50}`, name: `Operator ${i % 50}` },
    },
    place: { kind: i % 3 ? 'berth' : 'anchorage', id: `${i % 3 ? 'N' : 'A'}${i % 40}`, depth: 8 },
    services: [
      {
        id: `s${i}`,
        kind: 'pilot',
        minutes: 30,
        crew: { badge: `c${i % 200}`, name: `Crew ${i % 200}`, role: 'pilot' },
      },
    ],
  }));

function office() {
  const operator = entity('operator', rowOf(), { key: 'id' });
  const vessel = entity('vessel', rowOf(), { key: 'hull', links: { operator } });
  const berth = entity('berth', rowOf(), { key: 'id' });
  const anchorage = entity('anchorage', rowOf(), { key: 'id' });
  const crew = entity('crew', rowOf(), { key: 'badge' });
  const service = entity('service', rowOf(), { key: 'id', links: { crew } });
  const visit = entity('visit', rowOf(), {
    key: 'id',
    links: { vessel, place: byKind('kind', { berth, anchorage }), services: listOf(service) },
  });
  return { store: tables('office', [operator, vessel, berth, anchorage, crew, service, visit]), visit };
}

function ingesting() {
  const response = nestedVisits();
  let size = 0;
  const took = measure(
    {
      floe() {
        const { store, visit } = office();
        const runtime = createRuntime({ stores: [store] });
        runtime.dispatch(store.ingest(visit, response));
        size = runtime.read(store).visit.size;
      },
      peer: () => void (size -= handNormalize(response).visit.size),
    },
    { calls: 1, rounds: 15 },
  );
  if (size !== 0) throw new Error('the two did not do the same work');
  return took;
}

function ingestingAgain() {
  const response = nestedVisits();
  const { store, visit } = office();
  const full = createRuntime({ stores: [store] });
  full.dispatch(store.ingest(visit, response));
  let notified = 0;
  full.watch(store, () => notified++);
  full.watch(store.all(visit), () => notified++);
  const took = measure(
    {
      floe: () => full.dispatch(store.ingest(visit, response)),
      peer: () => createRuntime({ stores: [store] }).dispatch(store.ingest(visit, response)),
    },
    { calls: 1, rounds: 15 },
  );
  if (notified > 0) throw new Error('a watcher was notified of nothing new');
  return took;
}

function viewing() {
  const { store, runtime, visit, bump } = port(100_000);
  const view = store.all(visit, { where: { phase: ['expected', 'alongside'] }, sort: 'arrives' });
  let seen;
  runtime.watch(view, (rows) => (seen = rows), { now: true });
  const wanted = new Set(['expected', 'alongside']);
  let rows = flatVisits(100_000);
  let sorted;
  const took = measure(
    {
      floe: bump,
      peer(i) {
        const at = (i * 31) % 100_000;
        rows = rows.slice();
        rows[at] = { ...rows[at], priority: rows[at].priority + 1 };
        sorted = rows.filter((row) => wanted.has(row.phase)).sort((a, b) => a.arrives - b.arrives);
      },
    },
    { calls: 10, rounds: 15 },
  );
  if (seen.length !== sorted.length || seen.at(99).id !== sorted[99].id)
    throw new Error('the two did not do the same work');
  return took;
}

/** Memory of 1,000 versions, and of one, in bytes; in a process of its own, which can collect its garbage. */
function versions() {
  const script = fileURLToPath(new URL('memory.mjs', import.meta.url));
  const { one, all } = JSON.parse(execFileSync(process.execPath, ['--expose-gc', script], { encoding: 'utf8' }));
  return { floe: all, peer: one };
}

export const rows = [
  { work: 'change one row of 100,000', against: 'one of 100', most: 4, run: oneOfMany },
  {
    work: 'change one row of 10,000',
    against: 'spreading an object of 10,000 keys',
    least: 500,
    run: againstSpreading,
  },
  { work: '`set` in a table of 100,000', against: '`set` in a native `Map` of 100,000', most: 5, run: setting },
  { work: '10,000 watched rows, one changed', against: '10 watched rows', most: 2, run: manyRowsAgainstFew },
  { work: '10,000 watched rows, one changed', against: 'a loop over 10,000 by hand', least: 30, run: againstLoop },
  { work: '10,000 watched rows, one changed', against: 'streams by hand', least: 500, run: againstStreams },
  { work: 'iterate a table of 100,000', against: 'a native `Map`', most: 3, run: iterating },
  { work: 'ingest 100,000 nested visits', against: 'a normaliser written for them', most: 2, run: ingesting },
  { work: 'ingest the same response again', against: 'the first time', most: 1, run: ingestingAgain },
  {
    work: 'a sorted, filtered view of 100,000, one row changed',
    against: 'filtering and sorting again',
    least: 300,
    run: viewing,
  },
  {
    work: 'memory of 1,000 versions of a table of 100,000',
    against: 'one version',
    most: 1.25,
    unit: 'bytes',
    run: versions,
  },
];
