// The model's rows of the benchmark.
import { createRuntime, selector, store } from '../dist/core/index.js';
import { handBump, handStore, handToggle, memo, streamStore } from './peers.mjs';
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
  const took = measure({ floe: () => runtime.dispatch(bumped()), peer: () => hand.send({ type: 'bumped' }) });
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
    peer: (i) => hand.send({ type: 'toggled', index: i % 100 }),
  });
  if (!seen || JSON.stringify(runtime.read(list)) !== JSON.stringify(hand.read()))
    throw new Error('the two did not do the same work');
  return took;
}

const boxes = () =>
  Array.from({ length: 100 }, (_, b) => Array.from({ length: 100 }, (_, r) => ({ id: b * 100 + r, n: 0 })));
const bumpCell = (state, { box, row }) => {
  const next = state.boxes.slice();
  next[box] = next[box].slice();
  next[box][row] = { ...next[box][row], n: next[box][row].n + 1 };
  return { ...state, boxes: next };
};

/** A runtime that watches as many of the 10,000 cells, spread over all boxes. */
function cells(watched, notified) {
  const grid = store('grid', { boxes: boxes() });
  const bumped = grid.action('bumped', (draft, { box, row }) => {
    draft.boxes[box][row].n += 1;
  });
  const cell = grid.selector('cell', (state, box, row) => state.boxes[box][row].n);
  const runtime = createRuntime({ stores: [grid] });
  for (let i = 0; i < watched; i++) {
    const box = i % 100;
    runtime.watch(cell(box, Math.floor(i / 100)), notified);
  }
  return (i) => runtime.dispatch(bumped({ box: i % 10, row: 0 }));
}

function manyAgainstFew() {
  let notified = 0;
  const notify = () => notified++;
  const took = measure({ floe: cells(10_000, notify), peer: cells(10, notify) }, { calls: 200 });
  if (notified === 0) throw new Error('no watcher was notified');
  return took;
}

const parts = (watchPart, notified) => {
  for (let i = 0; i < 10_000; i++) {
    const box = i % 100;
    const row = Math.floor(i / 100);
    watchPart((state) => state.boxes[box][row].n, notified);
  }
};

function manyAgainstLoop() {
  let notified = 0;
  const notify = () => notified++;
  const hand = handStore({ boxes: boxes() }, bumpCell);
  parts(hand.watchPart, notify);
  return measure(
    { floe: cells(10_000, notify), peer: (i) => hand.send({ box: i % 10, row: 0 }) },
    { calls: 100, rounds: 21 },
  );
}

function manyAgainstStreams() {
  let notified = 0;
  const notify = () => notified++;
  const streams = streamStore({ boxes: boxes() }, bumpCell);
  parts((pick, listener) => streams.watchPart(pick, listener), notify);
  return measure(
    { floe: cells(10_000, notify), peer: (i) => streams.send({ box: i % 10, row: 0 }) },
    { calls: 40, rounds: 11 },
  );
}

function chain() {
  const counter = store('counter', { count: 0, other: 0 });
  const bumped = counter.action('bumped', (draft) => {
    draft.count += 1;
  });
  const links = [counter.selector('link0', (state) => state.count)];
  for (let i = 1; i < 1000; i++) links.push(selector(`link${i}`, (read) => read(links[i - 1]) + 1));
  const runtime = createRuntime({ stores: [counter] });
  let seen = 0;
  runtime.watch(links.at(-1), (value) => (seen = value));

  const hand = handStore({ count: 0, other: 0 }, (state) => ({ ...state, count: state.count + 1 }));
  const memos = [
    memo(
      () => hand.read().count,
      (count) => count,
    ),
  ];
  for (let i = 1; i < 1000; i++) memos.push(memo(memos[i - 1], (value) => value + 1));
  let handSeen = 0;
  hand.watchPart(
    () => memos.at(-1)(),
    (value) => (handSeen = value),
  );
  const took = measure(
    { floe: () => runtime.dispatch(bumped()), peer: () => hand.send({ type: 'bumped' }) },
    { calls: 20 },
  );
  if (seen !== runtime.read(counter).count + 999 || handSeen !== hand.read().count + 999)
    throw new Error('one of the two did not do its work');
  return took;
}

/** Nanoseconds a row of one change that edits all rows of a list, each of which is watched by itself. */
function editAll(n) {
  const list = store('list', { rows: Array.from({ length: n }, (_, id) => ({ id, done: false })) });
  const turned = list.action('turned', (draft) => {
    for (const row of draft.rows) row.done = !row.done;
  });
  const done = list.selector('done', (state, index) => state.rows[index].done);
  const runtime = createRuntime({ stores: [list] });
  let notified = 0;
  for (let i = 0; i < n; i++) runtime.watch(done(i), () => notified++);
  return { n, work: () => runtime.dispatch(turned()), done: () => notified > 0 };
}

/** Nanoseconds to begin and to stop watching, where so many watch one selector. */
function comeAndGo(n) {
  const counter = store('counter', { count: 0 });
  const count = counter.selector('count', (state) => state.count);
  const runtime = createRuntime({ stores: [counter] });
  let stopped = 0;
  const work = () => {
    const stops = [];
    for (let i = 0; i < n; i++) stops.push(runtime.watch(count, () => undefined));
    for (const stop of stops) stop();
    stopped += stops.length;
  };
  return { n, work, done: () => stopped > 0 };
}

/** What each of many costs, against each of few: the same number of them is gone through before a look at the clock. */
function eachOf(many, few) {
  const inTurn = ({ n, work }) => {
    const times = many.n / n;
    return () => {
      for (let i = 0; i < times; i++) work();
    };
  };
  const took = measure({ floe: inTurn(many), peer: inTurn(few) }, { calls: 2, rounds: 15 });
  if (!many.done() || !few.done()) throw new Error('one of the two did not do its work');
  return { floe: took.floe / many.n, peer: took.peer / many.n };
}

/** A diamond: 100 selectors read one value, one reads them all. Gives how often each ran for one transition. */
export function diamond() {
  const counter = store('counter', { count: 0 });
  const bumped = counter.action('bumped', (draft) => {
    draft.count += 1;
  });
  const ran = new Map();
  const counting = (name, derive) => selector(name, (read) => (ran.set(name, (ran.get(name) ?? 0) + 1), derive(read)));
  const sides = Array.from({ length: 100 }, (_, i) => counting(`side${i}`, (read) => read(counter).count + i));
  const tip = counting('tip', (read) => sides.reduce((sum, side) => sum + read(side), 0));
  const runtime = createRuntime({ stores: [counter] });
  runtime.watch(tip, () => undefined);
  ran.clear();
  runtime.dispatch(bumped());
  return { most: Math.max(...ran.values()), selectors: ran.size };
}

/**
 * Each row: the work, what it is compared with, and how it is measured. `most`: Floe may take at most so many times the
 * peer's time; `least`: it must be at least so many times faster.
 */
/** The first dispatch of an action after another store joined, in a runtime of many stores. */
function afterJoin(stores) {
  const declare = (name) => {
    const one = store(name, { n: 0 });
    return { one, set: one.action('set', (draft, n) => void (draft.n = n)) };
  };
  const all = Array.from({ length: stores }, (_, i) => declare(`store${i}`));
  const runtime = createRuntime({ stores: all.map(({ one }) => one) });
  for (const { set } of all) runtime.dispatch(set(1));
  const times = [];
  for (let i = 0; i < 200; i++) {
    runtime.add(declare(`late${i}`).one);
    const began = performance.now();
    runtime.dispatch(all[i].set(2));
    times.push((performance.now() - began) * 1e6);
  }
  return { floe: times.sort((a, b) => a - b)[times.length >> 1], peer: 200_000 };
}

export const rows = [
  { work: 'a counter action, draft style', against: 'spread and a listener loop by hand', most: 1.5, run: counter },
  {
    work: 'toggle one of 100 rows, draft style',
    against: 'slice, one spread and a listener loop by hand',
    most: 2,
    run: toggle,
  },
  {
    work: '10,000 watched selections, one affected',
    against: 'Floe with 10 selections in the same boxes',
    most: 2,
    run: manyAgainstFew,
  },
  {
    work: '10,000 watched selections, one affected',
    against: 'a loop over 10,000 by hand',
    least: 10,
    run: manyAgainstLoop,
  },
  {
    work: '10,000 watched selections, one affected',
    against: '10,000 streams with deep equality',
    least: 200,
    run: manyAgainstStreams,
  },
  {
    work: 'a chain of 1,000 selectors, one leaf changed',
    against: 'hand-written memoised functions',
    most: 2.5,
    run: chain,
  },
  {
    work: 'all of 10,000 watched rows edited in one change, a row',
    against: 'all of 100',
    most: 3,
    run: () => eachOf(editAll(10_000), editAll(100)),
  },
  {
    work: 'begin and stop watching one selector, 10,000 at once, each',
    against: '100 at once',
    most: 3,
    run: () => eachOf(comeAndGo(10_000), comeAndGo(100)),
  },
  {
    work: 'the first dispatch of an action after a store joined, among 1,600 stores',
    against: '0.2 ms',
    most: 1,
    run: () => afterJoin(1600),
  },
];
