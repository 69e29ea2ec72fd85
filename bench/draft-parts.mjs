// `NODE_ENV=production node bench/draft-parts.mjs`: where the time of a small change goes; medians, in nanoseconds. The first
// part reads through bare proxies, which is what a draft cannot get below; the second has changes of 100 rows that do more
// and more, each alone in a runtime; the third has a flag of one row turned, and a selector that goes through all rows.
import { createRuntime, store } from '../dist/core/index.js';
import { handToggle } from './peers.mjs';
import { measure } from './run.mjs';

const rows = () => Array.from({ length: 100 }, (_, id) => ({ id, name: `row ${id}`, done: false }));
let sink;

const target = Object.assign([], { rows: rows() });
const listed = new Proxy(target, { get: ({ rows }, key) => rows[key] });
const named = new Proxy({ rows: rows() }, { get: ({ rows }, key) => rows[key] });
const traps = { get: (node, key) => node.rows[key] };
const reads = {
  'a named property of a proxy': () => (sink = named.length),
  'an item of a proxied array': (i) => (sink = listed[i % 100]),
  'the same item by Reflect.get': (i) => (sink = Reflect.get(listed, i % 100)),
  'a new proxy': () => (sink = new Proxy({ rows: target.rows }, traps)),
};

/** Dispatches an action with this change; the watchers of the store are notified. */
function changing(change) {
  const list = store('list', { rows: rows(), n: 0 });
  const changed = list.action('changed', change);
  const runtime = createRuntime({ stores: [list] });
  runtime.watch(list, (state) => (sink = state));
  return (i) => runtime.dispatch(changed(i % 100));
}
let state = { rows: rows(), n: 0 };
const changes = {
  'a change that does nothing': changing(() => undefined),
  'a number': changing((draft, i) => {
    draft.n += i + 1;
  }),
  'a look at the list': changing((draft) => void (sink = draft.rows)),
  'a look at a row': changing((draft, i) => void (sink = draft.rows[i])),
  'a flag of a row': changing((draft, i) => {
    const row = draft.rows[i];
    row.done = !row.done;
  }),
  'a flag of a row that is looked for': changing((draft, i) => {
    const row = draft.rows.find(({ id }) => id === i);
    row.done = !row.done;
  }),
  'a flag of each row': changing((draft) => {
    for (const row of draft.rows) row.done = !row.done;
  }),
  'a row put in by a spread of the one before': changing((draft, i) => {
    draft.rows[i] = { ...draft.rows[i], done: i > 50 };
  }),
  'a flag by hand, without a store': (i) => {
    state = handToggle(state, i % 100);
    sink = state;
  },
};

/** Turns a flag of one of so many rows, of which a selector picks those with the flag. */
function picking(n) {
  const list = store('list', { rows: Array.from({ length: n }, (_, id) => ({ id, name: `row ${id}`, done: false })) });
  const turned = list.action('turned', (draft, i) => {
    draft.rows[i].done = !draft.rows[i].done;
  });
  const done = list.selector('done', (state) => state.rows.filter((row) => row.done));
  const runtime = createRuntime({ stores: [list] });
  runtime.watch(done, (found) => (sink = found));
  return (i) => runtime.dispatch(turned(i % n));
}
const selections = Object.fromEntries([10, 100, 1000].map((n) => [`a selector that filters ${n} rows`, picking(n)]));

for (const works of [reads, changes, selections])
  for (const [what, took] of Object.entries(measure(works))) console.log(`${took.toFixed(0).padStart(6)}  ${what}`);
if (sink === undefined) throw new Error('nothing was read');
