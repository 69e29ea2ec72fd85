// Every order in which overlapping runs can start, be answered, fail, be cancelled, and the runtime can be closed, for
// every way to overlap, against a model that knows nothing of promises.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, need, store, type Overlap, type Run, type Task, task } from 'floe';
import { recording } from 'floe/trace';
import { longMode, share } from '../support/runs.js';

type Ending = 'answer' | 'fail' | 'cancel' | 'cancelThenAnswer';
type Event = { readonly start: number } | { readonly end: number; readonly how: Ending } | 'close';

const endings: readonly Ending[] = ['answer', 'fail', 'cancel', 'cancelThenAnswer'];
const overlaps: readonly Overlap[] = ['allow', 'replace', 'queue', 'ignore', 'share'];

interface Desk {
  ask(visit: number): Promise<void>;
}
const desk = need<Desk>('desk');
const log = store('log', { lines: [] as string[] });
const written = log.action('written', (draft, line: string) => {
  draft.lines.push(line);
});

const asking = (overlap: Overlap, groups: number): Task<[visit: number], number> =>
  task(
    log,
    `ask-${overlap}-${groups}`,
    async ({ dispatch, use }, visit) => {
      dispatch(written(`asked ${visit}`));
      await use(desk).ask(visit);
      dispatch(written(`answered ${visit}`));
      return visit;
    },
    { overlap, overlapBy: (visit) => visit % groups },
  );
const tasks = new Map(
  overlaps.flatMap((overlap) => [1, 2].map((groups) => [`${overlap} ${groups}`, asking(overlap, groups)])),
);

// ---- the model ----

interface ModelRun {
  phase: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';
  reason?: string;
  /** Its work began and waits for the desk. */
  asking?: boolean;
}

class Model {
  readonly lines: string[] = [];
  readonly stopped: string[] = [];
  readonly runs: (ModelRun | undefined)[] = [];
  private readonly all: { readonly visit: number; readonly run: ModelRun }[] = [];
  private readonly sharing = new Map<ModelRun, Set<number>>();
  private readonly verdicts: ('answer' | 'fail' | undefined)[] = [];
  closed = false;
  begun = 0;
  ended = 0;
  phase = 'idle';

  constructor(
    private readonly overlap: Overlap,
    private readonly groups: number,
  ) {}

  private inGroup(visit: number, phase: ModelRun['phase']) {
    return this.all.filter((one) => one.visit % this.groups === visit % this.groups && one.run.phase === phase);
  }

  start(visit: number): void {
    if (this.closed) return;
    const [other] = this.inGroup(visit, 'running');
    if (other && this.overlap === 'share') {
      this.sharing.get(other.run)!.add(visit);
      return void (this.runs[visit] = other.run);
    }
    const run: ModelRun = { phase: 'waiting' };
    this.runs[visit] = run;
    if (other && this.overlap === 'ignore') return void Object.assign(run, { phase: 'cancelled', reason: 'ignored' });
    if (other && this.overlap === 'replace') this.cancel(other.run, 'replaced');
    this.all.push({ visit, run });
    this.sharing.set(run, new Set([visit]));
    if (!(other && this.overlap === 'queue')) this.begin(visit, run);
  }

  private begin(visit: number, run: ModelRun): void {
    run.phase = 'running';
    run.asking = true;
    this.begun++;
    this.phase = 'running';
    this.lines.push(`asked ${visit}`);
    this.answered(visit, run);
  }

  /** What the desk said, when it has, reaches the work that asked. */
  private answered(visit: number, run: ModelRun): void {
    const verdict = this.verdicts[visit];
    if (!verdict || !run.asking) return;
    run.asking = false;
    if (run.phase === 'running') {
      if (verdict === 'answer') this.lines.push(`answered ${visit}`);
      this.over(run, verdict === 'answer' ? 'done' : 'failed', visit);
    } else if (verdict === 'answer') this.stopped.push(`answered ${visit}`);
  }

  private over(run: ModelRun, phase: 'done' | 'failed' | 'cancelled', visit: number, reason?: string): void {
    Object.assign(run, { phase, reason });
    this.ended++;
    if (!this.all.some((one) => one.run.phase === 'running')) this.phase = phase;
    const [next] = this.inGroup(visit, 'waiting');
    if (next && this.inGroup(visit, 'running').length === 0 && reason !== 'closed') this.begin(next.visit, next.run);
  }

  private cancel(run: ModelRun, reason: string): void {
    const { visit } = this.all.find((one) => one.run === run) ?? {};
    if (visit === undefined) return;
    if (run.phase === 'waiting') Object.assign(run, { phase: 'cancelled', reason });
    else if (run.phase === 'running') this.over(run, 'cancelled', visit, reason);
  }

  /** A run that others share goes on without this caller. */
  private giveUp(visit: number, run: ModelRun): void {
    const callers = this.sharing.get(run);
    if (run.phase !== 'running' && run.phase !== 'waiting') return;
    callers?.delete(visit);
    if (callers && callers.size > 0) this.runs[visit] = { phase: 'cancelled', reason: 'cancelled' };
    else this.cancel(run, 'cancelled');
  }

  end(visit: number, how: Ending): void {
    const run = this.runs[visit];
    if (how !== 'answer' && how !== 'fail' && run) this.giveUp(visit, run);
    if (how === 'cancel') return;
    this.verdicts[visit] = how === 'fail' ? 'fail' : 'answer';
    const asked = this.all.find((one) => one.visit === visit);
    if (asked) this.answered(visit, asked.run);
  }

  close(): void {
    this.closed = true;
    for (const { run } of this.all.filter((one) => one.run.phase === 'waiting')) this.cancel(run, 'closed');
    for (const { run } of this.all.filter((one) => one.run.phase === 'running')) this.cancel(run, 'closed');
  }
}

// ---- the real thing ----

/** Cheaper than `expect`, which is asked only where something is wrong: there are a hundred thousand scenarios. */
const same = (found: unknown, wanted: unknown): void => {
  if (found !== wanted) expect(found).toBe(wanted);
};
const phases = (runs: readonly ({ readonly phase: string } | undefined)[]): string =>
  runs.map((run) => run?.phase).join();

const settle = async (): Promise<void> => {
  for (let i = 0; i < 12; i++) await Promise.resolve();
};

async function play(events: readonly Event[], overlap: Overlap, groups: number): Promise<void> {
  const model = new Model(overlap, groups);
  const ask = tasks.get(`${overlap} ${groups}`)!;
  const answers: { resolve(): void; reject(error: Error): void; promise: Promise<void> }[] = [];
  const dependencyOf = (visit: number) => {
    if (!answers[visit]) {
      let [resolve, reject] = [(): void => undefined, (_error: Error): void => undefined];
      const promise = new Promise<void>((yes, no) => ([resolve, reject] = [yes, no]));
      promise.catch(() => undefined);
      answers[visit] = { resolve, reject, promise };
    }
    return answers[visit];
  };
  const problems: unknown[] = [];
  const runtime = createRuntime({
    stores: [log],
    trace: recording(),
    needs: [desk.by({ ask: (visit) => dependencyOf(visit).promise })],
    onProblem: ({ error }) => problems.push(error),
  });
  const runs: (Run<number> | undefined)[] = [];
  const ends: unknown[] = [];
  for (const event of events) {
    if (event === 'close') {
      void runtime.close();
      model.close();
    } else if ('start' in event) {
      const visit = event.start;
      try {
        const run = runtime.run(ask(visit));
        runs[visit] = run;
        run.then(
          (value) => (ends[visit] = value),
          (error: unknown) => {
            const { code, message } = error as { code?: string; message: string };
            ends[visit] = code === 'FLOE_RUN_CANCELLED' ? /\((.*)\)/.exec(message)![1] : message;
          },
        );
      } catch (error) {
        expect(error).toMatchObject({ code: 'FLOE_CLOSED' });
        expect(model.closed).toBe(true);
      }
      model.start(visit);
    } else {
      const { end: visit, how } = event;
      if (how !== 'answer' && how !== 'fail') runs[visit]?.cancel();
      await settle();
      if (how === 'fail') dependencyOf(visit).reject(new Error('refused'));
      else if (how !== 'cancel') dependencyOf(visit).resolve();
      model.end(visit, how);
    }
    await settle();
    same(phases(runs), phases(model.runs));
    if (!model.closed) same(runtime.read(ask.status).phase, model.phase);
  }
  const written = runtime.trace.steps.filter(({ kind }) => kind === 'action');
  const lines = (outcome: string) =>
    written.filter((step) => step.outcome === outcome).map((step) => step.action!.payload);
  same(lines('applied').join(), model.lines.join());
  same(lines('stopped').sort().join(), model.stopped.sort().join());
  const reported = (fact: string) => runtime.trace.steps.filter((step) => step.fact === fact).length;
  same([reported('runStarted'), reported('runEnded')].join(), [model.begun, model.ended].join());
  model.runs.forEach((run, visit) => {
    if (run?.phase === 'failed') same(ends[visit], 'refused');
    else if (run?.phase === 'cancelled') same(ends[visit], run.reason);
    else same(typeof ends[visit], run?.phase === 'done' ? 'number' : 'undefined');
  });
  const last = runtime.trace.stateAt(runtime.trace.steps.at(-1)!.seq)[`log.ask-${overlap}-${groups}.status`] as
    { all: { phase: string; runs: number } } | undefined;
  same([last?.all.phase ?? 'idle', last?.all.runs ?? 0].join(), [model.phase, model.begun].join());
  same(problems.length, 0);
}

// ---- all orders ----

/** All orders of starts, one after the other, and of an end of each after its start. */
function* orders(
  count: number,
  kinds: readonly Ending[],
  started = 0,
  open: readonly number[] = [],
): Generator<readonly Event[]> {
  if (started === count && open.length === 0) yield [];
  if (started < count)
    for (const rest of orders(count, kinds, started + 1, [...open, started])) yield [{ start: started }, ...rest];
  for (const end of open) {
    const others = open.filter((one) => one !== end);
    for (const how of kinds) for (const rest of orders(count, kinds, started, others)) yield [{ end, how }, ...rest];
  }
}

function* scenarios(count: number, kinds: readonly Ending[]): Generator<readonly Event[]> {
  for (const order of orders(count, kinds)) {
    yield order;
    for (let i = 0; i <= order.length; i++) yield [...order.slice(0, i), 'close', ...order.slice(i)];
  }
}

describe.each(overlaps)('overlap: %s', (overlap) => {
  test.each([
    [2, 1, endings, 288],
    [2, 2, endings, 288],
    [3, 1, endings, 7680],
    [3, 2, endings.slice(0, 3), 3240],
  ] as const)('%i runs in %i lanes, %j', async (count, groups, kinds, expected) => {
    const all = [...scenarios(count, kinds)];
    expect(all).toHaveLength(expected);
    // Of three runs a small share goes a long way; the long mode plays all.
    const every = longMode ? 1 : Math.max(1, Math.round((count === 2 ? 0.5 : 37) / share));
    for (const [i, events] of all.entries()) {
      if (i % every > 0) continue;
      try {
        await play(events, overlap, groups);
      } catch (error) {
        throw new Error(`${JSON.stringify(events)}: ${(error as Error).message}`, { cause: error });
      }
    }
  });
});
