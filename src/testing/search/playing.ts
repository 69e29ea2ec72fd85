// Plays a story: a runtime of its own, whose time, chance and responses are held, so that one thing happens after the other.
import {
  brokenRule,
  eachBroken,
  hostOf,
  FloeError,
  messageOf,
  Rebasing,
  type Extensible,
} from '../../core/internal.js';
import {
  createRuntime,
  type AnyAction,
  type Attachment,
  type Given,
  type Interceptor,
  type Need,
  type NeedOutcomes,
  type Problem,
  type Runtime,
  type TaskContext,
} from '../../core/index.js';
import { dataOf, openCall, serviceOf, settleWith, standIn, type OpenCall } from '../held-calls.js';
import { noOutcomes } from '../errors.js';
import { quiet } from '../quiet.js';
import { openActions, waitsForNothing } from '../story-helpers.js';
import { nameOfData, type Choice, type NamedChoice } from './choices.js';
import type { DataHashes } from './data-hashes.js';
import { examplesIn, isCall } from './examples.js';
import type { Known } from './exploration.js';
import type { FindingKind, ResponseOfStory, Trace } from '../../trace/index.js';
import { Footprint, touched } from './footprint.js';
import { HeldClock } from './held-clock.js';
import type { Stage } from './stage.js';
import { ObservedRuns, type ObservedRun, type StoryHost } from './observed-runs.js';

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

/** An action that an interceptor holds. */
export interface HeldAction {
  readonly number: number;
  readonly action: AnyAction;
  readonly decide: (proceeds: boolean) => void;
}

/** Something that should not be, seen while a story was played. */
export interface Seen {
  readonly kind: FindingKind;
  readonly what: string;
  readonly threw?: string;
}

/** A need whose calls are held, and what they may come to. */
interface Served {
  readonly need: Need<never>;
  readonly service: ReturnType<typeof serviceOf>;
}

export class Playing implements StoryHost {
  readonly clock = new HeldClock();
  readonly runs = new ObservedRuns(this);
  readonly calls = new Map<number, PendingCall>();
  readonly held = new Map<number, HeldAction>();
  /** What needs know, by name. */
  readonly known = new Map<string, unknown>();
  readonly seen: Seen[] = [];
  readonly runtime: Runtime;
  readonly kernel: Extensible;
  readonly hashes: DataHashes;
  footprint = new Footprint();
  /** How many calls of needs were made. */
  callCount = 0;
  private heldCount = 0;
  private readonly served = new Map<object, Served>();
  /** What the last response was. */
  came: ResponseOfStory = {};

  constructor(
    readonly stage: Stage,
    trace?: Attachment<Trace>,
  ) {
    const { options, initial, hashes } = stage;
    this.hashes = hashes;
    let chance = 1;
    this.runtime = createRuntime({
      stores: options.stores,
      ...(options.tasks && { tasks: options.tasks }),
      ...(initial && { initial }),
      ...(trace && { trace }),
      needs: (options.needs ?? []).map((given) => this.given(given)),
      interceptors: (options.interceptors ?? []).map((one) => this.holding(one)),
      clock: this.clock,
      // Numerical Recipes' linear congruential generator, as in `testRuntime`.
      random: () => (chance = (Math.imul(chance, 1664525) + 1013904223) >>> 0) / 2 ** 32,
      onProblem: (problem) => this.problem(problem),
      features: [
        {
          name: 'search',
          install: () => ({
            context: (run, context) => this.runs.context(run as never, context as TaskContext),
            working: (run, work) => this.runs.work(run.id, work),
          }),
        },
      ],
    });
    this.kernel = hostOf(this.runtime);
  }

  // ---- what happens ----

  /** Lets one thing happen, and all that follows from it without waiting. Whether it could happen. */
  async perform(choice: Choice): Promise<boolean> {
    this.footprint = new Footprint();
    this.clock.isRead = false;
    this.seen.length = 0;
    const { log } = this;
    const before = this.kernel.views.live.states.slice();
    if (!this.begin(choice)) return false;
    await this.rest();
    this.touch(before);
    if (log || this.log || this.held.size > 0) this.footprint.isAlone = true;
    if (this.clock.isRead) this.footprint.reads.add(touched.clock);
    return true;
  }

  /** Everything that needs no time has happened. */
  async rest(): Promise<void> {
    await quiet();
    this.runs.paused();
  }

  private begin(choice: Choice): boolean {
    switch (choice.does) {
      case 'dispatch':
        this.dispatching(choice.action);
        try {
          this.runtime.dispatch(choice.action);
        } catch (error) {
          if (error instanceof FloeError && error.code === 'FLOE_UNKNOWN_ACTION') throw error;
          this.threw(error);
        }
        return true;
      case 'run':
        // Who started it looks at its status: its failure is seen.
        this.runtime.run(choice.call).catch(() => undefined);
        return true;
      case 'respond': {
        const call = this.calls.get(choice.call);
        if (!call || choice.outcome >= call.outcomes.length) return false;
        this.respond(call, choice.outcome);
        return true;
      }
      case 'wait': {
        const timer = [...this.clock.timers].find(({ number }) => number === choice.timer);
        if (!timer) return false;
        this.footprint.writes.add(touched.clock);
        this.clock.fire(timer);
        return true;
      }
      case 'cancel': {
        const observed = this.runs.all.get(choice.run);
        if (!observed || observed.run.ended) return false;
        this.touchRun(observed);
        observed.run.cancel();
        return true;
      }
      case 'decide': {
        const held = this.held.get(choice.held);
        held?.decide(choice.proceeds);
        return held !== undefined;
      }
    }
  }

  private respond(call: PendingCall, index: number): void {
    this.calls.delete(call.number);
    call.run.pending--;
    this.touchRun(call.run);
    const outcome = call.outcomes[index];
    if (typeof outcome === 'function') this.footprint.writes.add(touched.need(call.need));
    const came = settleWith(call.settle, outcome);
    this.came = 'error' in came ? { error: messageOf(came.error) } : { value: came.value };
    this.runs.give(call.run, 'response', [call.ofRun, index, this.came.error]);
    if ('value' in came) this.runs.give(call.run, 'response', came.value);
  }

  private touchRun(observed: ObservedRun | undefined): void {
    for (let one = observed; one; one = one.parent) this.footprint.writes.add(touched.run(one.run.id));
  }

  // ---- what may happen ----

  choices(): readonly NamedChoice[] {
    const found = new Map<string, NamedChoice>();
    const add = (name: string, choice: Choice, depends = false): void => {
      if (!found.has(name)) found.set(name, depends ? { name, choice, depends } : { name, choice });
    };
    const { cancels, examples } = this.stage.options;
    for (const { number, run, ofRun, outcomes } of this.calls.values())
      for (const outcome of outcomes.keys())
        add(`respond ${this.runs.nameOf(run)} ${ofRun} ${outcome}`, { does: 'respond', call: number, outcome });
    for (const { number, run, at } of this.clock.next()) {
      const sleeper = run === undefined ? undefined : this.runs.all.get(run);
      add(`wait ${at} ${sleeper ? this.runs.nameOf(sleeper) : `timer ${number}`}`, { does: 'wait', timer: number });
    }
    for (const { number, action } of this.held.values())
      for (const proceeds of [true, false])
        add(`${nameOfData('decide', action)} ${proceeds}`, { does: 'decide', held: number, proceeds });
    if (cancels)
      for (const observed of this.runs.all.values())
        if (!observed.run.ended)
          add(`cancel ${this.runs.nameOf(observed)}`, { does: 'cancel', run: observed.run.id });
    for (const one of examplesIn(examples, this.states)) {
      const depends = !examples.includes(one);
      if (isCall(one)) add(nameOfData('run', one), { does: 'run', call: one }, depends);
      else add(nameOfData('dispatch', one), { does: 'dispatch', action: one }, depends);
    }
    return [...found.values()];
  }

  /** Nothing will happen any more by itself. */
  get isAtRest(): boolean {
    return this.calls.size === 0 && this.held.size === 0 && this.clock.next().length === 0;
  }

  /** The live states of the stores. */
  get states(): Readonly<Record<string, unknown>> {
    const { views, cells } = this.kernel;
    const states: Record<string, unknown> = {};
    for (const [name, cell] of cells) if (!cell.store.internal) states[name] = views.live.states[cell.index];
    return states;
  }

  /** Runs that wait for nothing that a search holds. */
  unheld(): readonly ObservedRun[] {
    return [...this.runs.all.values()].filter(
      ({ run, pending }) => pending === 0 && waitsForNothing(run),
    );
  }

  readonly knownOf: Known = (need) => this.known.get((need as Need<unknown>).name) as never;

  // ---- needs ----

  private given(given: Given | NeedOutcomes): Given {
    if (!('outcomes' in given)) return given;
    const { need } = given;
    const service = serviceOf(given, (known) => this.known.set(need.name, known));
    // What serves it is made for each run that asks.
    const served: Given = { need, value: Object.freeze({}) };
    this.served.set(served.value as object, { need, service });
    return served;
  }

  serve(_need: Need<unknown>, run: ObservedRun, given: () => unknown): unknown {
    const value = given();
    const served = typeof value === 'object' && value !== null ? this.served.get(value) : undefined;
    return served ? standIn((method, args) => this.call(served, run, method, args)) : value;
  }

  private call(
    { need: { name }, service }: Served,
    run: ObservedRun,
    method: string,
    given: readonly unknown[],
  ): Promise<unknown> {
    this.touchRun(run);
    const { args, signal } = dataOf(given);
    if (this.known.has(name)) this.footprint.writes.add(touched.need(name));
    const outcomes = service(method, args);
    if (!outcomes) throw noOutcomes(name, method, run.run.task.name);
    const number = ++this.callCount;
    run.pending++;
    const { promise, ...settle } = openCall(signal, () => {
      if (this.calls.delete(number)) run.pending--;
    });
    const call = { number, need: name, method, args, run, ofRun: ++run.calls, outcomes, settle };
    if (signal?.aborted !== true) this.calls.set(number, call);
    else run.pending--;
    return promise;
  }

  // ---- what is seen ----

  dispatching(action: AnyAction): void {
    const { footprint, kernel, stage } = this;
    footprint.writes.add(touched.type(action.type));
    if (stage.options.interceptors) footprint.readsAll = true;
    try {
      for (const { cell } of kernel.handlers.to(action).stores) footprint.writes.add(touched.store(cell.store.name));
    } catch {
      // No store handles it: dispatching says so.
    }
  }

  private touch(before: readonly unknown[]): void {
    const { states } = this.kernel.views.live;
    for (const { index, store } of this.kernel.cells.values())
      if (states[index] !== before[index]) this.footprint.writes.add(touched.store(store.name));
  }

  threw(error: unknown): void {
    if (error instanceof FloeError && error.code === 'FLOE_ENDLESS_LOOP') return;
    this.see({ kind: 'change', what: messageOf(error) });
  }

  private see(one: Seen): void {
    if (!this.seen.some(({ kind, what }) => kind === one.kind && what === one.what)) this.seen.push(one);
  }

  private problem({ error, task }: Problem): void {
    const { code } = error as Partial<FloeError>;
    const what = messageOf(error);
    if (code === 'FLOE_INVARIANT_BROKEN') {
      const rules = this.stage.stores.flatMap(({ invariants }) => invariants.map(({ name }) => name));
      const { cause } = error as FloeError;
      const rule = rules.find((name) => what.startsWith(brokenRule(name))) ?? what;
      this.see({ kind: 'rule', what: rule, ...(cause !== undefined && { threw: messageOf(cause) }) });
    } else if (code === 'FLOE_ENDLESS_LOOP') this.see({ kind: 'loop', what });
    else if (code === 'FLOE_NO_OUTCOMES') throw error;
    else this.see({ kind: task === undefined ? 'change' : 'unseen', what });
  }

  /** What should not be, now that everything is quiet. */
  judge(): readonly Seen[] {
    const { runs, stage } = this;
    if (runs.looping !== undefined)
      this.see({ kind: 'loop', what: `the task '${runs.looping}' goes round without a pause` });
    if (!this.isAtRest) return this.seen;
    for (const { run } of this.unheld())
      this.see({
        kind: 'under way',
        what: `a run of '${run.task.name}' waits for something that the search does not hold, or for ever`,
      });
    for (const type of openActions(this.kernel))
      this.see({ kind: 'optimistic', what: `'${type}' is neither confirmed nor reverted` });
    for (const [name, rule] of Object.entries(stage.options.atRest ?? {})) {
      try {
        if (!rule(this.runtime.read, this.knownOf)) this.see({ kind: 'at rest', what: name });
      } catch (error) {
        this.see({ kind: 'at rest', what: name, threw: messageOf(error) });
      }
    }
    return this.seen;
  }

  /** The rules that do not hold in the beginning. */
  beginning(): readonly Seen[] {
    const { states } = this;
    eachBroken(
      this.stage.stores.map((store) => ({ store, after: states[store.name] })),
      (what, thrown) => this.see({ kind: 'rule', what, ...(thrown !== undefined && { threw: messageOf(thrown) }) }),
    );
    return this.judge();
  }

  /** The optimistic actions that are open, with what followed. */
  get log(): Rebasing['log'] {
    const { attending } = this.kernel.features;
    return attending instanceof Rebasing ? attending.log : undefined;
  }

  close(): void {
    void this.runtime.close();
  }

  // ---- interceptors ----

  private holding(interceptor: Interceptor): Interceptor {
    return (action, tools) => {
      let isDecided = false;
      const decided = (): boolean => {
        const was = isDecided;
        isDecided = true;
        if (held) this.held.delete(held.number);
        return was;
      };
      let held: HeldAction | undefined;
      const returned = interceptor(action, {
        ...tools,
        // What it decides after the search has decided comes too late.
        proceed: (passed) => (decided() ? 'stopped' : tools.proceed(passed)),
        stop: (reason) => void (decided() || tools.stop(reason)),
      });
      if (isDecided) return returned;
      const number = ++this.heldCount;
      held = {
        number,
        action,
        decide: (proceeds) => {
          if (decided()) return;
          if (proceeds) tools.proceed();
          else tools.stop('not wanted');
        },
      };
      this.held.set(number, held);
      return returned;
    };
  }
}

