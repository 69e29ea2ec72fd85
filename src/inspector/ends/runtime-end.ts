// The inspected end in a running application: its history, its derived values, and the commands of a developer.
import {
  decode,
  type Extensible,
  hostOf,
  listen,
  lookUp,
  messageOf,
  readerOf,
  runNamed,
  runsUnderWay,
  setPlace,
  storesOf,
} from '../../core/internal.js';
import { sourceOf, type States, type Trace, type TraceSource } from '../../trace/internal.js';
import { changesBetween } from '../history/changes.js';
import { Derived } from './derived.js';
import { figuresOf, keptOf, storedHandlers } from './stored.js';
import { fittingOf } from './fitting.js';
import { modelHandlers } from './live-model.js';
import {
  badPayload,
  doesNotFit,
  noSuchTask,
  noTrace,
  NO_PAGE,
  NO_STORAGE,
  NO_TASKS,
  NOT_OBSERVED,
} from '../protocol/errors.js';
import { HistoryEnd } from './history-end.js';
import { Observing, sourceName } from './observing.js';
import {
  LINK_VERSION,
  type Ability,
  type Channel,
  type Methods,
  type Status,
  type StepShown,
  type WhatIf,
} from '../protocol/protocol.js';
import type { RowLinks } from '../history/rows.js';
import { answer, type RequestHandlers } from '../protocol/rpc.js';
import { paced } from '../protocol/slices.js';
import { Mark } from '../history/step-columns.js';

/** A runtime, as far as a link knows it. */
export interface Inspectable {
  readonly trace?: Trace;
  readonly persistence?: unknown;
}

export interface RuntimeEndOptions {
  /** What the inspector calls the application. */
  readonly name: string;
  /** Default: `live`. A recording that a model was given for is a `file`: its runtime serves what-if only. */
  readonly kind?: 'live' | 'file';
}

/** So many steps that came to something else are listed. */
const MOST_OTHERS = 50;

/** Lets an inspector at the other end of a channel look into a runtime. Returns a function that ends it. */
export function linkRuntime(runtime: Inspectable, channel: Channel, options: RuntimeEndOptions): () => void {
  const host = hostOf(runtime);
  const { trace } = runtime;
  if (!trace) return linkWithoutTrace(channel, options);
  const source = sourceOf(trace);
  const isLive = options.kind !== 'file';
  const changed = paced(() => link.notify('changed', history.status()));
  const newest = source.at(source.end - 1)?.seq ?? -1;
  const kept = keptOf(runtime);
  const observing = new Observing(host, newest + 1, kept, {
    changed: () => history.touch(),
    counts: isLive,
  });
  const derived = new Derived(observing);
  const history = new HistoryEnd(
    source,
    {
      shown: () => ({
        cursor: trace.cursor,
        isLive: !isLive || trace.isLive,
        isPaused: trace.isPaused,
        isClosed: host.isClosed,
      }),
      isLive,
      observedOf: (seqs, most) => (isLive ? observing.of(seqs, nameOf, most) : null),
      derivedValue: (id) => derived.value(id),
      links: linksOf(host),
      ...(isLive && {
        underWay: () => runsUnderWay(host),
        figures: () => figuresOf(observing.figures(nameOf), kept, observing.writes),
      }),
    },
    changed.call,
  );
  const link = answer(
    channel,
    {
      ...history.handlers(),
      ...derivedHandlers({ trace, source, observing, derived, isLive }),
      ...traceHandlers(trace, source, history, options),
      ...modelHandlers({ host, source, history, observing }),
      ...(isLive && runHandlers(host, source)),
      ...(isLive && storedHandlers(host, kept, observing.writes)),
      edit: ({ pointer, value }) => {
        setPlace(host, pointer, parsed(value));
        return {};
      },
    },
    source.conceal,
  );
  const unlisten = listen(host, { close: () => changed.call() });
  return () => {
    unlisten();
    link.end();
    changed.end();
    history.end();
    observing.end();
  };
}

interface Deriving {
  readonly trace: Trace;
  readonly source: TraceSource;
  readonly observing: Observing;
  readonly derived: Derived;
  readonly isLive: boolean;
}

/** What is asked of derived values. */
function derivedHandlers({
  trace,
  source,
  observing,
  derived,
  isLive,
}: Deriving): Pick<RequestHandlers, 'derived' | 'derivedOf' | 'derivedOne'> {
  // A recording has no page: looking at a step moves the runtime there, and derived values are those of that step.
  const at = (seq: number | undefined): void => {
    if (!isLive && seq !== undefined && source.positionOf(seq) >= 0) trace.seek(seq);
  };
  const changedBy = (since: number | undefined, to: number | undefined): ReadonlySet<object> => {
    if (since === undefined || to === undefined) return new Set();
    const seqs: number[] = [];
    const last = source.positionOf(to);
    for (let at = source.positionOf(since); at >= 0 && at <= last && seqs.length < 5000; at++)
      seqs.push(source.at(at)!.seq);
    return observing.changedBy(seqs);
  };
  return {
    derived: ({ sort, since, to }) => {
      at(to);
      return derived.groups(sort, changedBy(since, to));
    },
    derivedOf: ({ name, from, count, since, to }) => {
      at(to);
      return derived.ofName(name, from, count, changedBy(since, to));
    },
    derivedOne: ({ id }) => derived.one(id),
  };
}

/** What is done with the runs of tasks. */
function runHandlers(host: Extensible, source: TraceSource): Pick<RequestHandlers, 'runAgain' | 'cancel'> {
  return {
    runAgain: ({ seq }) => {
      const run = source.step(seq)?.run;
      if (!run || !runNamed(host, run.task, run.args)) throw noSuchTask(seq, run?.task);
      return {};
    },
    cancel: ({ run }) => {
      runsUnderWay(host)
        .find(({ id }) => id === run)
        ?.cancel('cancelled in the inspector');
      return {};
    },
  };
}

/** What is asked of the trace itself, or done with it. */
function traceHandlers(trace: Trace, source: TraceSource, history: HistoryEnd, options: RuntimeEndOptions) {
  return {
    hello: () => ({ version: LINK_VERSION, ...helloOf(trace, source, options) }),
    show: ({ seq }) => {
      trace.seek(seq);
      return {};
    },
    live: () => {
      trace.live();
      return {};
    },
    exclude: (params) => whatIf(history, source, params, () => trace.exclude(params.seq, how(params))),
    include: (params) => whatIf(history, source, params, () => trace.include(params.seq, how(params))),
    send: ({ type, payload }) => send(trace, source, type, payload),
    note: ({ seq, text }) => {
      trace.mark(text, seq);
      return {};
    },
    switchTo: ({ branch }) => {
      trace.switchTo(branch);
      return {};
    },
    nameBranch: ({ branch, name }) => {
      trace.nameBranch(branch, name);
      return {};
    },
    fits: ({ text }) => fittingOf(text, source.statesAt(source.end - 1)),
    replace: ({ text, leaveOut = [] }) => {
      const { misfits } = fittingOf(text, source.statesAt(source.end - 1));
      const [first] = misfits.filter(({ store }) => !leaveOut.includes(store));
      if (first) throw doesNotFit(first);
      return { steps: trace.import(text, { leaveOut }).steps };
    },
  } satisfies Partial<RequestHandlers>;
}

const nameOf = (reader: object): string => {
  const found = readerOf(reader);
  return found ? sourceName(found) : '';
};

const how = ({ withCaused }: { readonly withCaused?: boolean }): { readonly withCaused?: boolean } =>
  withCaused === undefined ? {} : { withCaused };

function helloOf(trace: Trace, source: TraceSource, { name, kind = 'live' }: RuntimeEndOptions) {
  const can: Ability[] = ['exclude', 'send', 'edit', 'derived', 'branches', 'note', 'model', 'replace'];
  if (kind === 'live') can.push('observe', 'travel', 'run', 'stored');
  return {
    name,
    kind,
    can,
    missing: kind === 'live' ? {} : { travel: NO_PAGE, observe: NOT_OBSERVED, run: NO_TASKS, stored: NO_STORAGE },
    redacted: source.redacted,
    actions: trace.actions,
  };
}

/** A runtime that records nothing says so, and how to change that. */
function linkWithoutTrace(channel: Channel, { name }: RuntimeEndOptions): () => void {
  const { code, message } = noTrace();
  const status: Status = {
    ...{
      revision: 0,
      steps: 0,
      firstSeq: null,
      lastSeq: null,
      from: null,
      to: null,
      moments: 0,
      firstMoment: 0,
      problems: 0,
    },
    ...{
      cursor: null,
      isLive: true,
      isPaused: false,
      isClosed: false,
      application: null,
      branch: 0,
      branches: [],
      folded: null,
    },
    ...{ reading: null, problem: { code, message }, muted: [], interactions: 0 },
  };
  const { end } = answer(channel, {
    hello: () => ({ version: LINK_VERSION, name, kind: 'live', can: [], missing: {}, redacted: [], actions: [] }),
    status: () => status,
    moment: () => null,
  });
  return end;
}

const linksOf = (host: Extensible): RowLinks => {
  const storeNamed = (name: string) => storesOf(host).find((store) => store.name === name);
  const stateOf = (states: unknown, store: string): unknown => lookUp(states, [store])?.value;
  return {
    from: (states, store, type, key) => storeNamed(store)?.linksFrom?.(stateOf(states, store), type, key) ?? [],
    to: (states, store, type, key) => storeNamed(store)?.linksTo?.(stateOf(states, store), type, key) ?? [],
  };
};

/** Dispatches an action that a developer wrote. */
function send(trace: Trace, source: TraceSource, type: string, text: string | undefined): Methods['send']['result'] {
  const payload = text === undefined || text.trim() === '' ? undefined : parsed(text);
  const before = source.at(source.end - 1)?.seq ?? -1;
  const outcome = trace.send(payload === undefined ? { type } : { type, payload });
  for (let at = source.end - 1; at >= source.first; at--) {
    const step = source.at(at)!;
    if (step.seq <= before) break;
    if (step.cause.by === 'inspector') return { outcome, seq: step.seq };
  }
  return { outcome, seq: null };
}

function parsed(text: string): unknown {
  try {
    return decode(JSON.parse(text));
  } catch (cause) {
    throw badPayload(messageOf(cause));
  }
}

/** Leaves a step out, or takes it in again, and says what is different then. */
async function whatIf(
  history: HistoryEnd,
  source: TraceSource,
  { seq }: { readonly seq: number },
  change: () => void,
): Promise<WhatIf> {
  await history.ready();
  const { index } = history;
  const start = source.positionOf(seq);
  const before: string[] = [];
  for (let at = start + 1; start >= 0 && at < source.end; at++) before.push(outcomeAt(history, at));
  const states: States = source.statesAt(source.end - 1);
  change();
  await history.ready();
  const others: StepShown[] = [];
  let otherCount = 0;
  for (let at = start + 1; at < Math.min(source.end, index.end) && at - start <= before.length; at++) {
    if (outcomeAt(history, at) === before[at - start - 1]) continue;
    otherCount++;
    if (others.length < MOST_OTHERS) others.push(history.steps.shown(source.at(at)!));
  }
  const { changes, count } = changesBetween(states, source.statesAt(source.end - 1), seq, MOST_OTHERS);
  const excluded = source.step(seq)?.excluded ?? false;
  return { seq, excluded, others, otherCount, changes, changeCount: count };
}

const outcomeAt = ({ index }: HistoryEnd, position: number): string =>
  `${index.steps.outcome(position)} ${index.steps.marksAt(position) & Mark.excluded}`;
