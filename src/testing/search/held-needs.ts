// The needs of a story: each call waits until one of its outcomes is chosen.
import { messageOf } from '../../core/internal.js';
import type { Given, Need, NeedOutcomes } from '../../core/index.js';
import type { ResponseOfStory } from '../../trace/index.js';
import { noOutcomes } from '../errors.js';
import { dataOf, openCall, serviceOf, settleWith, proxyOf, type OpenCall } from '../held-calls.js';
import type { Known } from './exploration.js';
import { touched, type Footprint } from './footprint.js';
import type { ObservedRun, ObservedRuns } from './observed-runs.js';

/** A call of a need that has no response so far. */
export interface PendingCall {
  /** Counted from 1, over all needs. */
  readonly number: number;
  readonly need: string;
  readonly method: string;
  readonly args: readonly unknown[];
  readonly run: ObservedRun;
  /** Which call of its run it is. */
  readonly ofRun: number;
  readonly outcomes: readonly unknown[];
  readonly settle: OpenCall;
}

/** A need whose calls are held, and what they may come to. */
interface Served {
  readonly need: Need<never>;
  readonly service: ReturnType<typeof serviceOf>;
}

/** What needs want of the story that is played. */
interface NeedsHost {
  readonly footprint: Footprint;
  readonly runs: ObservedRuns;
  touchRun(run: ObservedRun): void;
}

export class HeldNeeds {
  /** Those without a response, by their numbers. */
  readonly calls = new Map<number, PendingCall>();
  /** What needs know, by name. */
  readonly known = new Map<string, unknown>();
  /** How many calls were made. */
  count = 0;
  /** Set where a call has no outcomes: the search ends. */
  missing: Error | undefined;
  /** What the last response was. */
  came: ResponseOfStory = {};
  private readonly served = new Map<object, Served>();

  constructor(private readonly host: NeedsHost) {}

  readonly knownOf: Known = (need) => this.known.get((need as Need<unknown>).name) as never;

  given(given: Given | NeedOutcomes): Given {
    if (!('outcomes' in given)) return given;
    const { need } = given;
    const service = serviceOf(given, (known) => this.known.set(need.name, known));
    // What serves it is made for each run that asks.
    const served: Given = { need, value: Object.freeze({}) };
    this.served.set(served.value as object, { need, service });
    return served;
  }

  /** What a run gets where it asks for a need. */
  serve(run: ObservedRun, value: unknown): unknown {
    const served = typeof value === 'object' && value !== null ? this.served.get(value) : undefined;
    return served ? proxyOf((method, args) => this.call(served, run, method, args)) : value;
  }

  private call(
    { need: { name }, service }: Served,
    run: ObservedRun,
    method: string,
    given: readonly unknown[],
  ): Promise<unknown> {
    this.host.touchRun(run);
    const { args, signal } = dataOf(given);
    if (this.known.has(name)) this.host.footprint.writes.add(touched.need(name));
    const outcomes = service(method, args);
    if (!outcomes) throw (this.missing ??= noOutcomes(name, method, run.run.task.name));
    const number = ++this.count;
    const settle = openCall(signal, () => {
      if (this.calls.delete(number)) run.pending--;
    });
    this.calls.set(number, { number, need: name, method, args, run, ofRun: ++run.calls, outcomes, settle });
    run.pending++;
    settle.begin();
    return settle.promise;
  }

  respond(call: PendingCall, index: number): void {
    const { host } = this;
    this.calls.delete(call.number);
    call.run.pending--;
    host.touchRun(call.run);
    const outcome = call.outcomes[index];
    if (typeof outcome === 'function') host.footprint.writes.add(touched.need(call.need));
    const came = settleWith(call.settle, outcome);
    this.came = 'error' in came ? { error: messageOf(came.error) } : { value: came.value };
    host.runs.give(call.run, 'response', [call.ofRun, index, this.came.error]);
    if ('value' in came) host.runs.give(call.run, 'response', came.value);
  }
}
