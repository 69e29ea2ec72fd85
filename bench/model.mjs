// The model's rows of the benchmark.
import { createRuntime, store } from '../dist/core/index.js';
import { handBump, handStore, handToggle } from './peers.mjs';
import { measure } from './run.mjs';

function counter() {
  const counter = store('counter', { count: 0 });
  const bumped = counter.action('bumped', (draft) => {
    draft.count += 1;
  });
  const runtime = createRuntime({ stores: [counter] });
  let seen = 0;
  runtime.watch(counter, (state) => (seen = state.count));
  const hand = handStore({ count: 0 }, handBump);
  hand.watch((state) => (seen = state.count));
  const took = measure({ floe: () => runtime.dispatch(bumped()), hand: () => hand.send({ type: 'bumped' }) });
  if (seen !== hand.read().count || seen !== runtime.read(counter).count)
    throw new Error('the two did not do the same work');
  return took;
}

function toggle() {
  const rows = () => Array.from({ length: 100 }, (_, id) => ({ id, name: `row ${id}`, done: false }));
  const list = store('list', { rows: rows() });
  const toggled = list.action('toggled', (draft, index) => {
    const row = draft.rows[index];
    row.done = !row.done;
  });
  const runtime = createRuntime({ stores: [list] });
  let seen;
  runtime.watch(list, (state) => (seen = state));
  const hand = handStore({ rows: rows() }, (state, { index }) => handToggle(state, index));
  hand.watch((state) => (seen = state));
  const took = measure({
    floe: (i) => runtime.dispatch(toggled(i % 100)),
    hand: (i) => hand.send({ type: 'toggled', index: i % 100 }),
  });
  if (!seen || JSON.stringify(runtime.read(list)) !== JSON.stringify(hand.read()))
    throw new Error('the two did not do the same work');
  return took;
}

/** Each row: the work, what it is compared with, the two medians, and the most that is wanted of their ratio. */
export const rows = [
  { work: 'a counter action, draft style', against: 'spread and a listener loop by hand', most: 1.5, run: counter },
  {
    work: 'toggle one of 100 rows, draft style',
    against: 'slice, one spread and a listener loop by hand',
    most: 2,
    run: toggle,
  },
];
