// The rows of the benchmark about the search through orders.
/* global setImmediate */
import { createRuntime, need, store, task } from '../dist/core/index.js';
import { STILL } from '../dist/core/internal.js';
import { handClock } from '../dist/testing/clock.js';
import { explore, smallest } from '../dist/testing/index.js';
import { Playing } from '../dist/testing/search/playing.js';
import { readTrace, recording, replayTrace } from '../dist/trace/index.js';
import * as harbour from '../examples/harbour/dist/examples.js';

const ROUNDS = 15;
const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];

/** Medians of two works in turns, in milliseconds. */
async function inTurns(works) {
  const took = { floe: [], peer: [] };
  for (let round = -1; round < ROUNDS; round++)
    for (const [name, work] of Object.entries(works)) {
      const began = performance.now();
      await work();
      if (round >= 0) took[name].push(performance.now() - began);
    }
  return { floe: median(took.floe), peer: median(took.peer) };
}

/** How many actions a search tries. */
async function triedBy(options) {
  const { tried } = await explore(options);
  return tried.reduce((sum, { applied, unchanged, failed, broke }) => sum + applied + unchanged + failed + broke, 0);
}

/** Dispatches as many actions that make sense in the state there is, all of one round before the next. */
function dispatchAll({ stores, examples }, count) {
  const runtime = createRuntime({ stores, [STILL]: true, onProblem: () => undefined });
  let chance = 1;
  for (let done = 0; done < count;) {
    const round = examples.flatMap((one) => (typeof one === 'function' ? one(runtime.read) : [one]));
    // One after the other from anywhere: where all rows are removed at once, little is left to do.
    chance = (Math.imul(chance, 1664525) + 1013904223) >>> 0;
    for (let i = 0; i < round.length && done < count; i++, done++) {
      try {
        runtime.dispatch(round[(chance + i) % round.length]);
      } catch {
        // Some changes refuse by throwing.
      }
    }
  }
  return runtime.close();
}

async function ofHarbour() {
  const { stores, examples } = harbour;
  const options = { stores, examples, steps: 6, states: 800 };
  const count = await triedBy(options);
  return inTurns({ floe: () => explore(options), peer: () => dispatchAll(options, count) });
}

async function ofLongList() {
  const rows = store('rows', { list: Array.from({ length: 10_000 }, (_, id) => ({ id, moves: 0 })) });
  const moved = rows.action('moved', ({ list }, id) => void list[id].moves++);
  const options = { stores: [rows], examples: [moved(1), moved(5000), moved(9999)], steps: 40, states: 1000 };
  const count = await triedBy(options);
  return inTurns({ floe: () => explore(options), peer: () => dispatchAll(options, count) });
}

/** Officers give berths, and the office responds in any order. */
function race() {
  const office = need('office');
  const board = store('board', { at: {}, noted: '' });
  const assigned = board.action('assigned', ({ at }, { id, berth }) => void (at[id] = berth));
  const noted = board.action('noted', (draft, text) => void (draft.noted = text));
  const assign = task(board, 'assign', async ({ optimistic, dispatch, sleep, use }, id, berth) => {
    optimistic(assigned({ id, berth }));
    await use(office).assign(id, berth);
    dispatch(noted(id));
    await sleep(1000);
    dispatch(noted(''));
  });
  return { office, stores: [board], examples: [assign('v1', 'N1'), assign('v2', 'N2')] };
}

async function ofRuns() {
  const { office, stores, examples } = race();
  const responses = ['done', new Error('refused')];
  const options = { stores, examples, needs: [office.outcomes({ assign: responses })], steps: 6 };
  const stories = [];
  const { perform, judge } = Playing.prototype;
  Playing.prototype.perform = function (choice) {
    (this.path ??= []).push(choice);
    return perform.call(this, choice);
  };
  Playing.prototype.judge = function () {
    stories.push([...(this.path ?? [])]);
    return judge.call(this);
  };
  await explore(options);
  Object.assign(Playing.prototype, { perform, judge });
  const quiet = () => new Promise((resolve) => void setImmediate(resolve));
  /** What a test does by hand. */
  const replay = async (story) => {
    const calls = [];
    const timers = [];
    const clock = handClock();
    const after = (_ms, fn) => {
      timers.push(fn);
      return () => undefined;
    };
    const desk = { assign: () => new Promise((resolve, reject) => calls.push({ resolve, reject })) };
    const runtime = createRuntime({
      ...{ stores, needs: [office.by(desk)], onProblem: () => undefined },
      clock: { now: clock.now, after },
    });
    for (const choice of story) {
      if (choice.does === 'run') runtime.run(choice.call).catch(() => undefined);
      else if (choice.does === 'wait') timers[choice.timer - 1]();
      else if (choice.outcome === 0) calls[choice.call - 1].resolve(responses[0]);
      else calls[choice.call - 1].reject(responses[1]);
      await quiet();
    }
    void runtime.close();
  };
  return inTurns({
    floe: () => explore(options),
    peer: async () => {
      for (const story of stories) await replay(story);
    },
  });
}

/** 10,000 steps, of which the failure needs four, with payloads that it needs in part. */
async function ofReport() {
  const quay = store('quay', { marked: [], noise: 0 });
  const marked = quay.action('marked', (draft, { at }) => void draft.marked.push(at));
  const noise = quay.action('noise', (draft, by) => void (draft.noise += by));
  quay.invariant('not all marked', ({ marked: all }) => ![1, 2, 3, 4].every((one) => all.includes(one)));
  const runtime = createRuntime({ stores: [quay], trace: recording({ limit: 20_000 }), onProblem: () => undefined });
  for (let i = 1; i <= 10_000; i++)
    runtime.dispatch(i % 2500 === 0 ? marked({ at: i / 2500, remark: 'as it was said', by: ['a', 'b'] }) : noise(1));
  const file = readTrace(runtime.trace.export());
  return inTurns({
    floe: () => smallest(file, { stores: [quay], fails: { rule: 'quay.not all marked' } }),
    peer: () => replayTrace(file, { stores: [quay] }),
  });
}

export const rows = [
  {
    work: 'making a recording of 10,000 steps as small as its failure, which needs four of them',
    against: 'replaying it once',
    most: 100,
    unit: 'ms',
    run: ofReport,
  },
  {
    work: "exploring the actions of the harbour's model",
    against: 'dispatching as many such actions one after the other',
    most: 1.25,
    unit: 'ms',
    run: ofHarbour,
  },
  {
    work: 'exploring 1,000 states of a list of 10,000 rows',
    against: 'dispatching as many such actions one after the other',
    most: 10,
    unit: 'ms',
    run: ofLongList,
  },
  {
    work: 'exploring the orders of responses of two tasks',
    against: 'replaying the same choices by hand, on a new runtime each',
    most: 2,
    unit: 'ms',
    run: ofRuns,
  },
];
