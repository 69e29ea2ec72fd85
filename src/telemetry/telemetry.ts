import { checkOptions, encode, hostOf, listen, type Transition } from '../core/internal.js';
import { context, SpanStatusCode, trace as api, type Attributes, type Span, type Tracer } from '@opentelemetry/api';
import type { Feature, Hooks, Runtime } from '../core/index.js';
import { titleOf, type Step, type Trace } from '../trace/index.js';

/** Options of the spans. */
export interface TelemetryOptions {
  /** Where spans are made. Default: `trace.getTracer('floe')` of the OpenTelemetry API */
  readonly tracer?: Tracer;
  /** Whether spans hold payloads and arguments, as JSON without what is redacted. Default: false */
  readonly payloads?: boolean;
  /**
   * Whether the span of a run is the active one while its work runs, so that spans of the requests that it makes lie under
   * it. After an `await` that is so where the OpenTelemetry SDK has a context manager for asynchronous work. Default: true
   */
  readonly activeRuns?: boolean;
}

/** As many spans of runs that are over are remembered, for those that they bring about. */
const KEEP = 1000;

/**
 * Sends what happens as OpenTelemetry spans: one for each action and fact, one for each run of a task from its beginning to
 * its end. What brought it about is its parent, else the span that is active. Runs that are under way already are among them.
 * Nothing is sent where no OpenTelemetry SDK is set up.
 * @param runtime one with `trace: recording()`; what is redacted or ignored there is not sent
 * @returns a function that stops it
 * @see https://opentelemetry.io/docs/specs/otel/trace/api/
 * @example
 * telemetry(runtime, { tracer: provider.getTracer('control-room') });
 */
export function telemetry(runtime: Runtime & { readonly trace: Trace }, options: TelemetryOptions = {}): () => void {
  checkOptions('telemetry', options, ['tracer', 'payloads', 'activeRuns']);
  const { tracer = api.getTracer('floe'), payloads = false, activeRuns = true } = options;
  const spans = new Spans(tracer, payloads);
  const host = hostOf(runtime);
  spans.begin(runtime.trace.steps);
  const { sinks } = host.features.use(contexts);
  if (activeRuns) sinks.add(spans);
  const stop = listen(host, {
    transition(transition: Transition) {
      const step = transition.step === undefined ? undefined : runtime.trace.step(transition.step);
      if (step) spans.add(step, transition);
    },
    close: () => spans.end(),
  });
  return () => {
    stop();
    sinks.delete(spans);
    spans.end();
  };
}

/** Puts the work of runs into the contexts of their spans. */
const contexts: Feature<Hooks & { readonly sinks: Set<Spans> }> = {
  name: 'telemetry',
  install() {
    const sinks = new Set<Spans>();
    return {
      sinks,
      working: ({ id }, work) => [...sinks].reduce((inner, spans) => () => spans.around(id, inner), work)(),
    };
  },
};

class Spans {
  /** By what they are of, not by number: the steps of an imported trace have the same numbers as earlier ones. */
  private readonly steps = new WeakMap<Transition, Span>();
  /** Of runs that are under way. */
  private readonly open = new Map<number, Span>();
  /** Of runs that are over. */
  private readonly over = new Map<number, Span>();
  /** The step of the last sum. */
  private lastSum: number | undefined;

  constructor(
    private readonly tracer: Tracer,
    private readonly payloads: boolean,
  ) {}

  /** Takes up the runs that began earlier. */
  begin(steps: readonly Step[]): void {
    const ended = new Set(steps.filter(({ fact }) => fact === 'runEnded').map(({ run }) => run?.id));
    for (const step of steps)
      if (step.fact === 'runStarted' && step.run && !ended.has(step.run.id))
        this.open.set(step.run.id, this.start(step, undefined, step.run.task));
  }

  /** Does the work of a run with its span as the active one. */
  around<T>(run: number, work: () => T): T {
    const span = this.open.get(run);
    return span ? context.with(api.setSpan(context.active(), span), work) : work();
  }

  private spanOf(run: number): Span | undefined {
    return this.open.get(run) ?? this.over.get(run);
  }

  add(step: Step, transition: Transition): void {
    const { seq, fact, time, took, reason } = step;
    // A sum grows; it is sent as it begins.
    if (fact === 'summed' && this.lastSum === seq) return;
    this.lastSum = fact === 'summed' ? seq : undefined;
    // Of the run itself: a trace that was imported gives those that come after it other numbers.
    const { run } = transition;
    if (run && fact === 'runStarted') {
      const span = this.start(step, transition, run.task);
      this.steps.set(transition, span);
      this.open.set(run.id, span);
      return;
    }
    const known = run && this.spanOf(run.id);
    if (known && fact === 'runRetried') {
      known.addEvent('tries again', { ...(reason !== undefined && { 'floe.reason': reason }) }, time);
      return;
    }
    if (known && fact === 'runEnded' && this.open.delete(run.id)) {
      remember(this.over, run.id, known);
      known.setAttribute('floe.phase', run.phase);
      if (reason !== undefined) known.setAttribute('floe.reason', reason);
      if (run.phase === 'failed')
        known.setStatus({ code: SpanStatusCode.ERROR, ...(reason !== undefined && { message: reason }) });
      known.end(time);
      return;
    }
    const span = this.start(step, transition, titleOf(step));
    if (step.outcome === 'failed' || step.outcome === 'refused')
      span.setStatus({ code: SpanStatusCode.ERROR, ...(reason !== undefined && { message: reason }) });
    span.end(time + took);
    this.steps.set(transition, span);
  }

  private start(step: Step, transition: Transition | undefined, name: string): Span {
    const { cause, about } = transition ?? {};
    const parent =
      (cause?.run === undefined ? undefined : this.spanOf(cause.run)) ?? this.stepSpan(cause?.of) ?? activeSpan();
    const original = this.stepSpan(about);
    return this.tracer.startSpan(
      name,
      {
        startTime: step.time,
        attributes: this.attributesOf(step),
        root: !parent,
        ...(original && { links: [{ context: original.spanContext() }] }),
      },
      parent ? api.setSpan(context.active(), parent) : context.active(),
    );
  }

  private stepSpan(of: Transition | undefined): Span | undefined {
    return of && this.steps.get(of);
  }

  private attributesOf(step: Step): Attributes {
    const { seq, kind, fact, cause, outcome, stores, changes, branch, reason, run, action } = step;
    return {
      'floe.step': seq,
      'floe.kind': kind,
      'floe.cause': cause.by,
      'floe.outcome': outcome,
      'floe.stores': [...stores],
      'floe.changes': changes.length,
      'floe.branch': branch,
      ...(fact && { 'floe.fact': fact }),
      ...(run && { 'floe.run': run.id }),
      ...(reason !== undefined && { 'floe.reason': reason }),
      ...(this.payloads && action && 'payload' in action && { 'floe.payload': JSON.stringify(encode(action.payload)) }),
      ...(this.payloads && run && { 'floe.arguments': JSON.stringify(encode(run.args)) }),
    };
  }

  /** Nothing more comes: runs that are under way are sent as far as they are known. */
  end(): void {
    for (const span of this.open.values()) span.end();
    this.open.clear();
  }
}

const activeSpan = (): Span | undefined => api.getSpan(context.active());

function remember(spans: Map<number, Span>, key: number, span: Span): void {
  spans.set(key, span);
  if (spans.size <= KEEP) return;
  const [oldest] = spans.keys();
  spans.delete(oldest);
}
