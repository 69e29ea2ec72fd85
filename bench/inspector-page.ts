// Runs in the page of `inspector.mjs`: the inspector on long recordings, and beside a busy page.
import { createRuntime, store } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { showInspector } from 'floe/inspector';
import { recording } from 'floe/trace';

interface Visit {
  id: string;
  vessel: string;
  phase: string;
  count: number;
}

/** A runtime with a table of rows and a small store, and actions that change one row each. */
function open(rows: number, limit = 200_000) {
  const visit = entity('visit', rowOf<Visit>(), { key: 'id' });
  const port = tables('port', [visit]);
  const movedOn = port.action('movedOn', (draft, { id, phase }: { id: string; phase: string }) => {
    const row = draft.visit.get(id)!;
    row.phase = phase;
    row.count++;
  });
  const log = store('log', { note: '', count: 0 });
  const noted = log.action('noted', (draft, note: string) => {
    draft.note = note;
    draft.count++;
  });
  const runtime = createRuntime({ stores: [port, log], trace: recording({ limit }) });
  const all = Array.from({ length: rows }, (_, i) => ({
    id: `v${i}`,
    vessel: `Vessel ${i}`,
    phase: 'expected',
    count: 0,
  }));
  runtime.dispatch(port.ingest(visit, all));
  const act = (i: number): void => {
    if (i % 10 === 0) runtime.dispatch(noted(`note ${i}`));
    else runtime.dispatch(movedOn({ id: `v${(i * 7919) % rows}`, phase: i % 2 === 0 ? 'alongside' : 'departed' }));
  };
  return { runtime, act, port, visit };
}

const frame = (): Promise<number> => new Promise((resolve) => requestAnimationFrame(resolve));
const percentile = (values: number[], share: number): number =>
  values.toSorted((a, b) => a - b)[Math.floor(values.length * share)];
const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

interface Shown {
  sessions: {
    moment?: object;
    timeline?: { marks: unknown[] };
    status?: { reading: number | null; steps: number };
    lookAtStep(seq: number): Promise<void>;
    show(panel: string | undefined): void;
    ask(method: string, params: object): Promise<unknown>;
  }[];
  at: number;
  shadowRoot: ShadowRoot;
}
const element = (): Shown =>
  document
    .querySelector<HTMLIFrameElement>('iframe[title=Inspector]')!
    .contentDocument!.querySelector('floe-inspector') as unknown as Shown;

/** The text of a recording of so many steps. */
function recordedText(steps: number): string {
  const { runtime, act } = open(10_000);
  for (let i = 0; i < steps; i++) act(i);
  const text = runtime.trace.export();
  void runtime.close();
  return text;
}

/** The longest task of the page while something is under way, in milliseconds (Long Tasks API: shorter ones than 50 count as 0). */
function longestTask(): () => Promise<number> {
  let longest = 0;
  const began = performance.now();
  const observer = new PerformanceObserver((list) => {
    for (const { startTime, duration } of list.getEntries())
      if (startTime >= began) longest = Math.max(longest, duration);
  });
  observer.observe({ type: 'longtask' });
  return async () => {
    await wait(100);
    observer.disconnect();
    return longest;
  };
}

const inspected = () => {
  const { runtime } = open(1);
  return showInspector(runtime, { folded: false });
};

async function jumps(steps: number, jump: (seq: number) => Promise<void> | void, frames: number): Promise<number[]> {
  const took: number[] = [];
  let seed = 7;
  let last = await frame();
  for (let i = 0; i < frames; i++) {
    seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
    void jump(seed % steps);
    const now = await frame();
    if (i > 10) took.push(now - last);
    last = now;
  }
  return took;
}

/** An empty page with a control that jumps in every frame. */
async function emptyPage(steps: number, frames: number): Promise<number> {
  const range = document.createElement('input');
  Object.assign(range, { type: 'range', max: String(steps) });
  const text = document.createElement('output');
  document.body.append(range, text);
  const took = await jumps(
    steps,
    (seq) => {
      range.value = String(seq);
      text.textContent = String(seq);
    },
    frames,
  );
  range.remove();
  text.remove();
  return percentile(took, 0.95);
}

/** Milliseconds that `JSON.parse` takes for the lines of a recording. */
function parsing(text: string): number {
  const began = performance.now();
  for (let from = 0; from < text.length;) {
    const end = text.indexOf('\n', from);
    JSON.parse(text.slice(from, end < 0 ? text.length : end));
    from = end < 0 ? text.length : end + 1;
  }
  return performance.now() - began;
}

let endBusy = (): void => {};

const bench = {
  /** Milliseconds until a first picture of a recording, until all of it is read and answers, and of `JSON.parse`. */
  async opening(steps: number) {
    const text = recordedText(steps);
    const parse = parsing(text);
    const inspector = inspected();
    await wait(300);
    const block = longestTask();
    const start = performance.now();
    let first = 0;
    void (async () => {
      while (first === 0) {
        await frame();
        const { sessions, at, shadowRoot } = element();
        const session = sessions[at];
        if (
          at > 0 &&
          session?.moment &&
          session.timeline &&
          shadowRoot.querySelector('floe-time circle.mark, floe-time .band')
        )
          first = performance.now() - start;
      }
    })();
    await inspector.open({ name: 'long.jsonl', text: () => Promise.resolve(text) });
    const { sessions, at } = element();
    const session = sessions[at];
    while (session.status?.reading !== null || session.status.steps < steps) await wait(2);
    // It answers: the newest moment and the state in the middle.
    await session.ask('moment', {});
    await session.ask('parts', { of: { in: 'state', seq: steps >> 1, pointer: '/port/visit' }, from: 0, count: 50 });
    const whole = performance.now() - start;
    const longest = await block();
    inspector.close();
    return { parse, first, whole, longest, size: text.length };
  },

  /** The 95th percentile of frames while the cursor jumps, on a file. */
  async movingInFile(steps: number, frames: number) {
    const text = recordedText(steps);
    const peer = await emptyPage(steps, frames);
    const inspector = inspected();
    await inspector.open({ name: 'long.jsonl', text: () => Promise.resolve(text) });
    const { sessions, at } = element();
    const session = sessions[at];
    await session.ask('parts', { of: { in: 'state', seq: steps - 1, pointer: '' }, from: 0, count: 9 });
    session.show('state');
    await wait(1500);
    const took = await jumps(steps, (seq) => session.lookAtStep(seq), frames);
    inspector.close();
    return { floe: percentile(took, 0.95), peer };
  },

  /** The same, docked on a page that shows nothing else. */
  async movingDocked(steps: number, frames: number) {
    const { runtime, act } = open(10_000);
    for (let i = 0; i < steps; i++) act(i);
    const peer = await emptyPage(steps, frames);
    const inspector = showInspector(runtime, { folded: false });
    const [session] = element().sessions;
    await session.ask('moment', {});
    session.show('state');
    await wait(1500);
    const took = await jumps(steps, (seq) => session.lookAtStep(seq), frames);
    inspector.close();
    void runtime.close();
    return { floe: percentile(took, 0.95), peer };
  },

  /** Milliseconds from the end of a burst until it is shown; and the frames of the page meanwhile, with and without the inspector. */
  async burst(rows: number, actions: number) {
    const measure = async (shows: boolean) => {
      const { runtime, act, port, visit } = open(rows);
      const list = document.createElement('ul');
      for (let i = 0; i < rows; i++) {
        const item = document.createElement('li');
        runtime.watch(
          port.one(visit, `v${i}`),
          (row) => (item.textContent = `${row?.vessel} ${row?.phase} ${row?.count}`),
          { now: true },
        );
        list.append(item);
      }
      document.body.append(list);
      const inspector = shows ? showInspector(runtime, { folded: false }) : undefined;
      await wait(1200);
      const shown: number[] = [];
      const took: number[] = [];
      for (let round = 0; round < 6; round++) {
        let last = await frame();
        // In twenty frames, as a stream of messages would.
        for (let part = 0; part < 20; part++) {
          for (let i = 0; i < actions / 20; i++) act(round * actions + part * (actions / 20) + i);
          const now = await frame();
          if (round > 0) took.push(now - last);
          last = now;
        }
        const ended = performance.now();
        if (!inspector) continue;
        const { seq } = runtime.trace.steps.at(-1)!;
        const [session] = element().sessions as unknown as {
          status?: { lastSeq: number };
          moment?: { last: number };
        }[];
        while (session.moment?.last !== seq) await frame();
        await frame();
        if (round > 0) shown.push(performance.now() - ended);
        await wait(200);
      }
      inspector?.close();
      void runtime.close();
      list.remove();
      const mean = took.reduce((sum, one) => sum + one, 0) / took.length;
      return { frames: mean, shown: inspector ? percentile(shown, 0.5) : 0 };
    };
    const without = await measure(false);
    const within = await measure(true);
    return { floe: within.frames, peer: without.frames, shown: within.shown };
  },

  /** A recording that is dropped on the page: milliseconds until it is whole and answers, and until all of it is looked through. */
  async dropped(steps: number) {
    const text = recordedText(steps);
    const parse = parsing(text);
    const inspector = inspected();
    await wait(300);
    const start = performance.now();
    await inspector.open({ name: 'long.jsonl', text: () => Promise.resolve(text) });
    const { sessions, at } = element();
    const session = sessions[at];
    while (session.status?.reading !== null || session.status.steps < steps) await wait(2);
    await session.ask('moment', {});
    await session.ask('parts', { of: { in: 'state', seq: steps >> 1, pointer: '/port/visit' }, from: 0, count: 50 });
    const whole = performance.now() - start;
    const looking = performance.now();
    // No step holds it.
    const { looked } = (await session.ask('find', { text: 'no such vessel', count: 200 })) as { looked: number };
    if (looked < steps) throw new Error(`it looked at ${looked} steps only`);
    const found = performance.now() - looking;
    inspector.close();
    return { parse, whole, found };
  },

  /** Begins a page of 50 dispatches a second, recorded; `shows` says how the inspector stands beside it. */
  busy(shows: 'nothing' | 'folded' | 'open', limit?: number) {
    const { runtime, act, port, visit } = open(1000, limit);
    const list = document.createElement('ul');
    for (let i = 0; i < 50; i++) {
      const item = document.createElement('li');
      runtime.watch(
        port.one(visit, `v${i}`),
        (row) => (item.textContent = `${row?.vessel} ${row?.phase} ${row?.count}`),
        {
          now: true,
        },
      );
      list.append(item);
    }
    document.body.append(list);
    const inspector = shows === 'nothing' ? undefined : showInspector(runtime, { folded: shows === 'folded' });
    let i = 0;
    const timer = setInterval(() => act(i++), 20);
    endBusy = () => {
      clearInterval(timer);
      inspector?.close();
      void runtime.close();
      list.remove();
    };
  },
  endBusy: () => endBusy(),

  /**
   * A busy page beside an open inspector, whose parts are opened one after the other, for some seconds: bytes of the heap and
   * elements, ten times. The recording holds 500 steps, so that nothing grows by itself.
   */
  async soak(seconds: number) {
    const gc = (globalThis as unknown as { gc(): void }).gc;
    bench.busy('open', 500);
    const heap: number[] = [];
    const elements: number[] = [];
    const panels = ['state', 'derived', 'tasks', 'stored', 'figures', 'model', 'find', 'session', undefined];
    let at = 0;
    const count = (root: ParentNode): number => root.querySelectorAll('*').length;
    for (let round = 0; round < 10; round++) {
      for (const end = performance.now() + (seconds * 1000) / 10; performance.now() < end;) {
        const [session] = element().sessions;
        session.show(panels[at++ % panels.length]);
        await wait(1000);
      }
      element().sessions[0].show(undefined);
      await wait(500);
      for (let i = 0; i < 4; i++) {
        gc();
        await wait(60);
      }
      heap.push((performance as unknown as { memory: { usedJSHeapSize: number } }).memory.usedJSHeapSize);
      elements.push(count(document) + count(element().shadowRoot));
    }
    bench.endBusy();
    return { heap, elements };
  },

  /** Nanoseconds of a dispatch, with an inspector beside the trace and with the trace alone. */
  async dispatching(rounds: number, calls: number) {
    const [a, b] = [open(100), open(100)];
    const inspector = showInspector(a.runtime, { folded: false });
    await wait(500);
    const times = { floe: [] as number[], peer: [] as number[] };
    for (let round = -5; round < rounds; round++) {
      for (const [name, { act }] of [
        ['floe', a],
        ['peer', b],
      ] as const) {
        const began = performance.now();
        for (let i = 0; i < calls; i++) act(i);
        const took = ((performance.now() - began) / calls) * 1e6;
        if (round >= 0) times[name].push(took);
        await frame();
        await frame();
      }
    }
    inspector.close();
    return { floe: percentile(times.floe, 0.5), peer: percentile(times.peer, 0.5) };
  },

  /** Bytes of the heap after so many steps, with an inspector open and without. */
  async heap(steps: number) {
    const gc = (globalThis as unknown as { gc(): void }).gc;
    const used = async (): Promise<number> => {
      for (let i = 0; i < 4; i++) {
        gc();
        await wait(60);
      }
      return (performance as unknown as { memory: { usedJSHeapSize: number } }).memory.usedJSHeapSize;
    };
    const one = async (shows: boolean): Promise<number> => {
      const before = await used();
      const { runtime, act } = open(10_000);
      const inspector = shows ? showInspector(runtime, { folded: false }) : undefined;
      for (let i = 0; i < steps; i++) {
        act(i);
        if (i % 1000 === 999) await frame();
      }
      await wait(1500);
      const after = await used();
      inspector?.close();
      await runtime.close();
      return after - before;
    };
    // The first one pays for the code.
    await one(true);
    const without = await one(false);
    const within = await one(true);
    return { more: within - without };
  },
};
export type InspectorBench = typeof bench;
Object.assign(globalThis, { bench });
