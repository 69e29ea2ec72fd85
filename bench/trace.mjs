// The trace's rows of the benchmark.
import { createRuntime, store } from '../dist/core/index.js';
import { entity, rowOf, tables } from '../dist/entities/index.js';
import { readTrace, recording } from '../dist/trace/index.js';
import { measure } from './run.mjs';

const declareCounter = () => {
  const counter = store('counter', { count: 0 });
  return {
    counter,
    bumped: counter.action('bumped', (draft) => {
      draft.count += 1;
    }),
  };
};

function onAndOff() {
  const { counter, bumped } = declareCounter();
  const on = createRuntime({ stores: [counter], trace: recording() });
  const off = createRuntime({ stores: [counter] });
  const took = measure({ floe: () => on.dispatch(bumped()), peer: () => off.dispatch(bumped()) });
  if (on.read(counter).count !== off.read(counter).count) throw new Error('the two did not do the same work');
  return took;
}

const berth = entity('berth', rowOf(), { key: 'id' });

/** Changes of rows of a table of 10,000, which a trace is told to ignore, one after the other. */
function ignored() {
  const begin = (traced) => {
    const port = tables('port', [berth]);
    const moved = port.action('moved', (draft, { id, n }) => {
      draft.berth.get(id).n = n;
    });
    const trace = recording({ ignore: [moved] });
    const runtime = createRuntime({ stores: [port], ...(traced && { trace }) });
    const rows = Array.from({ length: 10_000 }, (_, i) => ({ id: `b${i}`, quay: 'North', depth: 7.5, n: 0 }));
    runtime.dispatch(port.put(berth, rows));
    let n = 0;
    const move = () => runtime.dispatch(moved({ id: `b${(++n * 7919) % 10_000}`, n }));
    return { runtime, move, sum: () => runtime.trace?.steps.at(-1).count };
  };
  const [on, off] = [begin(true), begin(false)];
  const took = measure({ floe: on.move, peer: off.move }, { calls: 5000, rounds: 21 });
  if (on.runtime.trace.steps.length !== 3 || on.sum() < 5000 * 21) throw new Error('the actions were not summed up');
  return took;
}

/** A table of 10,000 rows with 1,000 watched ones, and so many recorded steps that change a row each. */
function recorded(steps) {
  const port = tables('port', [berth]);
  const moved = port.action('moved', (draft, { id, n }) => {
    draft.berth.get(id).n = n;
  });
  const runtime = createRuntime({ stores: [port], trace: recording({ limit: 200_000 }) });
  const rows = Array.from({ length: 10_000 }, (_, i) => ({ id: `b${i}`, quay: 'North', depth: 7.5, n: 0 }));
  runtime.dispatch(port.put(berth, rows));
  let notified = 0;
  for (let i = 0; i < 1000; i++) runtime.watch(port.one(berth, `b${i * 10}`), () => notified++);
  for (let i = 2; i < steps; i++) runtime.dispatch(moved({ id: `b${(i * 7919) % 10_000}`, n: i }));
  return { runtime, port, notified: () => notified };
}

/** Times, in nanoseconds, of jumps to steps all over a trace. */
function jumps({ runtime, port }, steps, count) {
  const times = [];
  for (let i = 0; i < count; i++) {
    const seq = 2 + ((i * 48_271 + 12_345) % (steps - 2));
    const began = process.hrtime.bigint();
    runtime.trace.seek(seq);
    times.push(Number(process.hrtime.bigint() - began));
    const row = runtime.read(port).berth.get(`b${(seq * 7919) % 10_000}`);
    if (row.n !== seq) throw new Error(`step ${seq} shows another state`);
  }
  return times.sort((a, b) => a - b);
}

const median = (times) => times[times.length >> 1];

function seekAgainstFrame() {
  const long = recorded(100_000);
  jumps(long, 100_000, 40);
  const times = jumps(long, 100_000, 200);
  return { floe: times[Math.floor(times.length * 0.95)], peer: 16e6 };
}

function seekAgainstShort() {
  const [long, short] = [recorded(100_000), recorded(1000)];
  const [inLong, inShort] = [[], []];
  for (let round = 0; round < 12; round++) {
    const some = [jumps(long, 100_000, 20), jumps(short, 1000, 20)];
    if (round === 0) continue;
    inLong.push(...some[0]);
    inShort.push(...some[1]);
  }
  return { floe: median(inLong.sort((a, b) => a - b)), peer: median(inShort.sort((a, b) => a - b)) };
}

function seekInImported() {
  const live = recorded(100_000);
  const imported = recorded(2);
  imported.runtime.trace.import(live.runtime.trace.export());
  const [inImported, inLive] = [[], []];
  for (let round = 0; round < 12; round++) {
    const some = [jumps(imported, 100_000, 20), jumps(live, 100_000, 20)];
    if (round === 0) continue;
    inImported.push(...some[0]);
    inLive.push(...some[1]);
  }
  return { floe: median(inImported.sort((a, b) => a - b)), peer: median(inLive.sort((a, b) => a - b)) };
}

const STEPS = 10_000;

function excludeFirst() {
  const { counter, bumped } = declareCounter();
  const names = store('names', { last: '', list: [] });
  const named = names.action('named', (draft, name) => {
    draft.last = name;
    draft.list = [name, ...draft.list].slice(0, 10);
  });
  const actions = Array.from({ length: STEPS }, (_, i) => (i % 2 ? bumped() : named(`v${i}`)));
  const record = () => {
    const runtime = createRuntime({ stores: [counter, names], trace: recording({ limit: 2 * STEPS }) });
    for (const one of actions) runtime.dispatch(one);
    return runtime;
  };
  const runtime = record();
  let out = false;
  const took = measure(
    {
      floe() {
        if (out) runtime.trace.include(2);
        else runtime.trace.exclude(2);
        out = !out;
      },
      peer: record,
    },
    { calls: 1, rounds: 15 },
  );
  if (runtime.trace.steps.length !== STEPS + 1 || runtime.read(counter).count !== STEPS / 2 - (out ? 1 : 0))
    throw new Error('steps were lost');
  return took;
}

function written() {
  const { runtime } = recorded(100_000);
  return { runtime, steps: [...runtime.trace.steps] };
}

function write() {
  const { runtime, steps } = written();
  let [a, b] = ['', ''];
  const took = measure(
    { floe: () => (a = runtime.trace.export()), peer: () => (b = JSON.stringify(steps)) },
    { calls: 1, rounds: 7 },
  );
  if (a.length < b.length * 0.9) throw new Error('steps were lost');
  return took;
}

function read() {
  const { runtime, steps } = written();
  const [file, text] = [runtime.trace.export(), JSON.stringify(steps)];
  let [a, b] = [[], []];
  const took = measure(
    { floe: () => (a = readTrace(file).steps), peer: () => (b = JSON.parse(text)) },
    { calls: 1, rounds: 7 },
  );
  if (a.length !== b.length) throw new Error('steps were lost');
  return took;
}

function open() {
  const { runtime } = recorded(100_000);
  const file = runtime.trace.export();
  const lines = file.split('\n').filter(Boolean);
  const other = recorded(2).runtime;
  let steps = 0;
  const took = measure(
    {
      floe: () => (steps = other.trace.import(file).steps),
      peer: () => {
        for (const line of lines) JSON.parse(line);
      },
    },
    { calls: 1, rounds: 7 },
  );
  if (steps !== lines.length - 1) throw new Error('steps were lost');
  return took;
}

export const rows = [
  { work: 'a counter action with the trace on', against: 'off', most: 2.5, run: onAndOff },
  {
    work: 'a seek among 100,000 steps, 1,000 watchers on a table of 10,000 rows (19 of 20 take less)',
    against: 'a frame of 16 ms',
    most: 1,
    run: seekAgainstFrame,
  },
  { work: 'a seek among 100,000 steps', against: 'among 1,000 steps', most: 3, run: seekAgainstShort },
  { work: 'a seek among 100,000 imported steps', against: 'among as many that happened', most: 3, run: seekInImported },
  {
    work: 'an ignored change of a row, in a table of 10,000',
    against: 'without a trace',
    most: 1.2,
    run: ignored,
  },
  { work: 'open a trace file of 100,000 steps', against: '`JSON.parse` of its lines', most: 4, run: open },
  {
    work: 'exclude the first of 10,000 steps',
    against: 'dispatching them again, recorded',
    most: 1.2,
    run: excludeFirst,
  },
  { work: 'write a trace file of 100,000 steps', against: '`JSON.stringify` of the steps', most: 2, run: write },
  { work: 'read a trace file of 100,000 steps', against: '`JSON.parse` of the steps', most: 2, run: read },
];
