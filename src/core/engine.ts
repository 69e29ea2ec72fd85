// The engine of a runtime: which stores there are, how an action goes through them, what is attached, and who is told.
import { aboutAction, aboutTask } from './about.js';
import { checkAction, makerOf, type About, type AnyAction } from './action.js';
import { Answering } from './answers.js';
import { brokenBy, Changing, isThenable } from './changing.js';
import { KnownTouches, type Touches } from './touches.js';
import { Ends } from './ends.js';
import {
  asyncInAtomic,
  badSnapshot,
  closed,
  endlessLoop,
  fieldsLost,
  FloeError,
  nameTaken,
  notATaskCall,
  notHandled,
  wrongPlace,
} from './errors.js';
import { currentReader, unnoted } from './graph.js';
import { complain, stopwatch, timer } from './host.js';
import { decide, type Interceptor } from './interceptor.js';
import { DEV } from './mode.js';
import { guardData, hasOwn, isContainer, keeping, put, sameData } from './plain.js';
import type { HoldHost } from './hold.js';
import { Reading, type Ground, type Informed } from './reading.js';
import type { DispatchResult, Problem, RuntimeOptions } from './runtime.js';
import { makeSlot, slotChange, type Slot, type SlotChange } from './slot.js';
import type { Read, Source } from './source.js';
import { checkKept, checkTables, type Change, type StoreDefinition } from './store.js';
import { endLostRuns } from './features/tasks/lost-runs.js';
import { isStatuses, statusesNamed } from './features/tasks/statuses.js';
import type { Applying, Feature, Hooks, Kernel, Rebased, Running } from './feature.js';
import type { DeclaredTask } from './handled.js';
import type { InnerWatching } from './watcher.js';
import {
  ATTACH,
  type Actor,
  type Attachment,
  type Cause,
  type FactName,
  type Host,
  type Listener,
  type Outcome,
  type RunNote,
  type StoreChange,
  type Transition,
} from './transition.js';

/** A transaction that is under way. */
interface Group {
  readonly number: number;
  readonly transitions: Transition[];
  readonly before: Map<Slot, unknown>;
  /** Calls that start tasks when the transaction commits. */
  readonly heard: (() => void)[];
  /** What waits for its end, however it ends. */
  readonly later: (() => void)[];
}

/** A dispatch out of a watcher, and the one whose watchers made it. */
interface Link {
  readonly type: string;
  readonly after: Link | undefined;
  readonly depth: number;
}

/** The action that an interceptor decides about, and its transition, or else the one that it answered. */
interface Deciding {
  action: AnyAction;
  of: Transition | undefined;
}

interface Queued {
  readonly action: AnyAction;
  readonly cause: Cause;
  readonly by?: Applying | undefined;
  readonly link: Link;
}

const BY_CODE: Cause = { by: 'code' };
const NO_TASKS: readonly DeclaredTask[] = [];
const NO_CHANGES: readonly StoreChange[] = [];

/** A longer chain, in which each dispatch comes out of a watcher of the one before, is taken for an endless loop. */
const MOST_LINKS = 100;

/** As many dispatches queued by watchers of one dispatch are taken for an endless loop. */
const MOST_QUEUED = 100_000;

/** What a runtime is made of: the stores with their states, and the one line of transitions. */
export class Engine implements Host, Kernel, Ground, HoldHost {
  private readonly ends = new Ends(() => new Reading(this));
  readonly slots = this.ends.slots;
  private readonly initial: Readonly<Record<string, unknown>>;
  /** Replaced at each change: a listener may leave while all are called. */
  private listeners: readonly Listener[] = [];
  private readonly interceptors: { readonly name: string; readonly fn: Interceptor }[] = [];
  private readonly answering: Answering;
  private readonly changing: Changing;
  /** Definitions of modules that were reloaded since, and what came in their place. */
  private readonly retired = new Map<StoreDefinition, StoreDefinition>();
  /** What is reported once: stores with a second definition, types of actions that nothing handles. */
  private readonly reported = new Set<string>();
  private readonly queue: Queued[] = [];
  /** Set while an interceptor runs. */
  private deciding: Deciding | undefined;
  private notifying = false;
  private held = 0;
  /** The transition whose watchers are told: what they dispatch answers it. */
  private toldOf: Transition | undefined;
  private latest: Transition | undefined;
  /** The dispatch whose watchers are notified now, when a watcher made it. */
  private link: Link | undefined;
  /** How many have been queued since the outermost notification began. */
  private queued = 0;
  /** Calls from outside that are under way. */
  private calls = 0;
  /** What bindings' watchers threw, and endless loops: thrown again at the end of the outermost call. */
  private readonly faults: unknown[] = [];
  private group: Group | undefined;
  private groups = 0;
  /** The cursor moves: what watchers do because of that has been done when it happened, and is not done again. */
  private moving = false;
  private timed = { reading: -Infinity, time: 0 };
  private readonly features = new Map<Feature, Hooks>();
  /** The feature that has to see every action while something is pending. */
  private attending: Pick<Hooks, 'committing' | 'stated'> | undefined;
  private readonly afterHooks: Required<Pick<Hooks, 'after'>>[] = [];
  private readonly waiting = new Set<() => void>();
  private ended = false;
  /** Fulfilled when every listener has done what it does at the end. */
  private closing: Promise<void> = Promise.resolve();
  readonly now: () => number;
  readonly random: () => number;
  readonly after: (ms: number, fn: () => void) => () => void;

  constructor(readonly options: RuntimeOptions) {
    const { initial = {}, clock, random = Math.random } = options;
    this.now = typeof clock === 'function' ? clock : clock ? () => clock.now() : Date.now;
    this.after = typeof clock === 'object' ? (ms, fn) => clock.after(ms, fn) : timer;
    this.random = random;
    this.answering = new Answering(this.slots, (store) => this.slot(store));
    this.changing = new Changing(options.checkPurity);
    if (!isContainer(initial) || Array.isArray(initial))
      throw badSnapshot(
        typeof initial === 'string'
          ? 'it is a text; hand over parseSnapshot(text)'
          : 'it is not an object with the states of stores',
      );
    this.initial = initial as Readonly<Record<string, unknown>>;
    for (const fn of options.interceptors ?? []) this.interceptors.push({ name: fn.name, fn });
  }

  attach<Face>(attachment: Attachment<Face>): Face {
    const { face, listener } = attachment[ATTACH](this);
    this.listen(listener);
    return face;
  }

  get reading(): Reading {
    return this.ends.reading;
  }

  listen(listener: Listener): () => void {
    this.listeners = [...this.listeners, listener];
    return () => {
      this.listeners = this.listeners.filter((one) => one !== listener);
    };
  }

  /** Calls every listener. An error of one listener is reported, and the others are still called. */
  private eachListener(tell: (listener: Listener) => void): void {
    for (const listener of this.listeners) {
      try {
        tell(listener);
      } catch (error) {
        this.report(error, undefined);
      }
    }
  }

  replaced(): void {
    this.eachListener((listener) => listener.replaced?.());
  }

  get invariants(): 'report' | 'refuse' {
    return this.options.invariants ?? 'report';
  }

  get oldestOpen(): Transition | undefined {
    return this.answer((hooks) => hooks.pinned?.());
  }

  // ---- stores ----

  states(): Record<string, unknown> {
    const certain = this.answer((hooks) => hooks.confirmed?.());
    return this.atLive(() => this.statesBy((slot) => (certain?.has(slot) ? certain.get(slot) : slot.state)));
  }

  shown(): Record<string, unknown> {
    return this.statesBy(({ state }) => state);
  }

  get uncertain(): boolean {
    return this.attending !== undefined;
  }

  private statesBy(stateOf: (slot: Slot) => unknown): Record<string, unknown> {
    const all: Record<string, unknown> = {};
    for (const [name, slot] of this.slots) if (!slot.store.internal) put(all, name, stateOf(slot));
    return all;
  }

  stores(): readonly StoreDefinition[] {
    return Array.from(this.slots.values(), (slot) => slot.store).filter((store) => !store.internal);
  }

  join(stores: readonly StoreDefinition[], fact: FactName): void {
    const changed: StoreChange[] = [];
    const rehydrated: StoreChange[] = [];
    const reading: (() => void)[] = [];
    const fresh = this.freshOf(stores);
    for (const store of fresh) {
      let state = hasOwn(this.initial, store.name) ? this.initial[store.name] : unnoted(() => store.begin());
      if (hasOwn(this.initial, store.name)) checkTables(store, state);
      guardData(state, { at: '', what: `The initial state of '${store.name}'` });
      checkKept(store, state);
      const begun = state;
      changed.push({ store, before: undefined, after: state, joined: true });
      for (const listener of this.listeners) {
        const stored = listener.begin?.(store, state) ?? state;
        if (stored === state) continue;
        if (isThenable(stored)) {
          reading.push(() => this.use(listener.late!).fill(this.slots.get(store.name)!, stored));
          continue;
        }
        guardData(stored, { at: '', what: `The stored state of '${store.name}'` });
        rehydrated.push({ store, before: state, after: stored });
        state = stored;
      }
      this.addSlot(store, state, true, begun);
    }
    if (changed.length === 0) return;
    this.answering.clear();
    this.tellFact(fact, changed, 'runtime');
    if (rehydrated.length > 0) this.tellFact('rehydrated', rehydrated, 'storage');
    for (const fill of reading) fill();
    const starting = fresh.flatMap((store) => store.tasks.filter(({ options }) => options.atStart));
    this.startTasks(starting);
  }

  /**
   * Those that have not joined yet. In development a second definition with the same fields is taken for that of a
   * reloaded module; any other is an error, before anything joins.
   */
  private freshOf(stores: readonly StoreDefinition[]): StoreDefinition[] {
    const fresh = stores.filter((store) => this.slots.get(store.name)?.store !== store && !this.retired.has(store));
    const names = new Set<string>();
    const reloaded: StoreDefinition[] = [];
    for (const store of fresh) {
      const { name } = store;
      const known = this.slots.get(name)?.store;
      if (names.size === names.add(name).size) throw nameTaken('The store', name);
      if (!known) continue;
      if (!DEV || known.internal || !sameFields(known, store)) throw nameTaken('The store', name);
      reloaded.push(store);
    }
    for (const store of reloaded) {
      this.reportOnce(`store ${store.name}`, () => nameTaken('The store', store.name, true));
      this.renew(store, false);
    }
    return fresh.filter((store) => !reloaded.includes(store));
  }

  private addSlot(store: StoreDefinition, state: unknown, told: boolean, begun = state): Slot {
    const slot = makeSlot(store, state, told, begun);
    this.ends.add(slot);
    if (!store.internal) this.attending?.stated?.(slot, state, this.group?.number);
    return slot;
  }

  /** Tasks that begin with their stores: not inside a selector that was the first to read one. */
  startTasks(tasks: readonly DeclaredTask[]): void {
    if (tasks.length === 0) return;
    const start = (): void => this.use(tasks[0].feature).begin?.(tasks);
    if (this.changing.inside || currentReader()) void Promise.resolve().then(start);
    else start();
  }

  slot(store: StoreDefinition): Slot {
    const slot = this.slots.get(store.name);
    if (slot && (slot.store === store || this.retired.has(store) || store.internal)) return slot;
    // A run that was cancelled may still read: an error would have a loop that catches everything spin.
    if (this.ended)
      return this.addSlot(store, hasOwn(this.initial, store.name) ? this.initial[store.name] : store.begin(), false);
    if (store.internal) return this.addSlot(store, store.begin(), false);
    this.join([store], 'joined');
    return this.slots.get(store.name)!;
  }

  /** Takes the definition of a reloaded module. @param notifyNow false inside a first read, which may be a rendering */
  renew(store: StoreDefinition, notifyNow = true): void {
    const slot = this.slots.get(store.name);
    if (!slot) return this.join([store], 'joined');
    if (slot.store === store) return;
    if (notifyNow) this.beHere();
    // Modules that were not reloaded still hold the old definition: it goes on standing for the store.
    this.retired.set(slot.store, store);
    slot.store = store;
    this.answering.clear();
    this.ends.renew((of) => of.store && this.successorOf(of.store)?.derivations.get(of.name));
    const before = slot.state;
    const fresh = unnoted(() => store.begin());
    let after = before;
    if (isContainer(fresh) && isContainer(before) && !Array.isArray(fresh) && !Array.isArray(before)) {
      const lost = Object.keys(before).filter((key) => !hasOwn(fresh, key));
      if (lost.length > 0) this.problem(fieldsLost(store.name, lost));
      const added = Object.keys(fresh).filter((key) => !hasOwn(before, key));
      if (added.length > 0) after = { ...before, ...Object.fromEntries(added.map((key) => [key, fresh[key]])) };
    }
    guardData(after, { at: '', what: `The state of '${store.name}'` });
    this.held++;
    try {
      if (notifyNow) this.place([{ store, before, after }], 'renewed');
      else this.atLive(() => this.place([{ store, before, after }], 'renewed'));
    } finally {
      this.held--;
    }
    if (notifyNow) this.notify();
    else void Promise.resolve().then(() => this.notify());
  }

  /** What came in the place of a definition when its module was reloaded, if it was. */
  successorOf(store: StoreDefinition): StoreDefinition | undefined {
    let next = this.retired.get(store);
    for (let one = next; one; one = this.retired.get(one)) next = one;
    return next;
  }

  // ---- dispatch ----

  dispatch(action: AnyAction, by?: Cause): DispatchResult {
    this.open('dispatch');
    checkAction(action);
    this.forbidInside('dispatch');
    if (this.moving) return 'stopped';
    if (this.notifying) return this.enqueue(action, by ?? this.byCode());
    this.calls++;
    let result: DispatchResult | undefined;
    try {
      this.beHere();
      result = this.decide(action, by ?? this.byDispatcher());
      return result;
    } finally {
      this.calls--;
      if (this.features.size > 0) this.becomeIdle();
      if (this.faults.length > 0) this.raise(result === undefined);
    }
  }

  private becomeIdle(): void {
    if (this.calls === 0 && !this.notifying) for (const hooks of this.features.values()) hooks.idle?.();
  }

  /** The cause of a dispatch now: an interceptor besides the action that it decides about, or the application. */
  private byDispatcher(): Cause {
    const { deciding } = this;
    if (!deciding) return BY_CODE;
    return deciding.of ? { by: 'interceptor', of: deciding.of } : { by: 'interceptor' };
  }

  private enqueue(action: AnyAction, cause: Cause, by?: Applying): 'queued' {
    const after = this.link;
    const link = { type: action.type, after, depth: (after?.depth ?? 0) + 1 };
    this.queue.push({ action, cause, by, link });
    return 'queued';
  }

  /** A call from outside. At the end of the outermost one, what bindings threw meanwhile is thrown again. */
  call<T>(fn: () => T): T {
    this.calls++;
    let failed = true;
    try {
      const result = fn();
      failed = false;
      return result;
    } finally {
      this.calls--;
      if (this.features.size > 0) this.becomeIdle();
      if (this.faults.length > 0) this.raise(failed);
    }
  }

  /** @param failed the call throws an error of its own: the others are reported */
  private raise(failed: boolean): void {
    if (this.calls > 0) return;
    const [first, ...others] = this.faults.splice(0);
    for (const error of others) this.problem(error);
    if (!failed) throw first;
    this.problem(first);
  }

  thrown(error: unknown): void {
    this.note(error);
    this.faults.push(error);
  }

  send(action: AnyAction, by: Actor): DispatchResult {
    return this.dispatch(action, { by });
  }

  /** The cause of a dispatch or a run now: the application, perhaps out of a watcher. */
  private byCode(): Cause {
    return this.toldOf ? { by: 'code', of: this.toldOf } : BY_CODE;
  }

  open(what: string): void {
    if (this.ended) throw closed(what);
  }

  /** @throws FLOE_WRONG_PLACE inside a change or a selector */
  forbidInside(what: string): void {
    if (this.changing.inside) throw wrongPlace(what, this.changing.inside);
    const reader = currentReader();
    if (reader && !reader.effect) throw wrongPlace(what, `the selector '${reader.name}'`);
  }

  /** Asks the interceptors, then applies. */
  private decide(action: AnyAction, cause: Cause, by?: Applying): DispatchResult {
    if (this.interceptors.length === 0) return this.apply(action, cause, by);
    const deciding: Deciding = { action, of: cause.of };
    return decide({
      action,
      around: (interceptor) => {
        const outer = this.deciding;
        this.deciding = deciding;
        try {
          interceptor();
        } finally {
          this.deciding = outer;
        }
      },
      interceptors: this.interceptors.slice(),
      about: makerOf(action)?.about,
      read: this.read,
      mayDecide: (what) => this.forbidInside(what),
      apply: (passed) => {
        deciding.action = passed;
        if (passed !== action) checkAction(passed);
        // It may have waited: the run that dispatched it may be over, and the cursor elsewhere.
        const why = by?.stopped?.();
        if (why !== undefined) return this.stop(passed, cause, why);
        const from: Cause = passed === action ? cause : { ...cause, by: 'interceptor' };
        if (cause.run !== undefined) return this.call(() => this.atLive(() => this.apply(passed, from, by)));
        return this.call(() => {
          this.beHere();
          return this.apply(passed, from, by);
        });
      },
      stopped: (reason) => this.fruitless(action, cause, 'stopped', reason),
      wait: (end) => {
        if (this.group) throw asyncInAtomic('an interceptor that decides later');
        this.waiting.add(end);
        this.fruitless(action, cause, 'waiting');
        return () => this.waiting.delete(end);
      },
    });
  }

  stop(action: AnyAction, cause: Cause, reason: string): 'stopped' {
    this.fruitless(action, cause, 'stopped', reason);
    return 'stopped';
  }

  /** Records an action that changed nothing. */
  private fruitless(action: AnyAction, cause: Cause, outcome: Outcome, reason?: unknown, took = 0): void {
    if (this.recorded)
      this.atLive(() => this.tell(this.ofAction(action, cause, outcome, took, NO_CHANGES, undefined, reason)));
  }

  private ofAction(
    action: AnyAction,
    cause: Cause,
    outcome: Outcome,
    took: number,
    changed: readonly StoreChange[] = NO_CHANGES,
    touches?: Touches,
    reason?: unknown,
    started?: number,
  ): Transition {
    const time = started === undefined || this.options.clock ? this.now() : this.timeOf(started);
    const group = this.group?.number;
    return { kind: 'action', action, cause, outcome, changed, touches, time, took, reason, group, step: undefined };
  }

  /** The time at a reading of the stopwatch; the host's clock is asked once a millisecond, which is as fine as it goes. */
  private timeOf(reading: number): number {
    const since = reading - this.timed.reading;
    if (since >= 1 || since < 0) this.timed = { reading, time: this.now() };
    return this.timed.time;
  }

  private tellFact(fact: FactName, changed: readonly StoreChange[], by: Cause['by']): void {
    this.tell(this.ofFact(fact, changed, { by }));
  }

  ofFact(fact: FactName, changed: readonly StoreChange[], cause: Cause, more?: Partial<Transition>): Transition {
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    return { kind: 'fact', fact, cause, outcome, changed, time: this.now(), took: 0, ...more };
  }

  private apply(action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { stores, tasks, alone } = this.answering.to(action);
    const recorded = this.listeners.length > 0;
    if (alone && !by && !this.group && this.attending === undefined && alone.slot.store.invariants.length === 0)
      return recorded
        ? this.recordAlone(alone.slot, alone.change, action, cause)
        : this.applyAlone(alone.slot, alone.change, action);
    const { type } = action;
    if (DEV && stores.length === 0 && tasks.length === 0) this.noteNotHandled(type);
    const started = recorded ? stopwatch() : 0;
    const changed: SlotChange[] = [];
    const touches = recorded ? new KnownTouches() : undefined;
    let broken: FloeError[] = [];
    try {
      for (const { slot, changes } of stores) {
        const after = this.changing.all(slot, changes, slot.state, action, touches);
        if (after !== slot.state) changed.push(slotChange(slot, after));
      }
      if (changed.length > 0 && !this.group) broken = brokenBy(changed, type);
      if (broken.length > 0 && this.options.invariants === 'refuse') throw broken[0];
    } catch (error) {
      const outcome = broken.length > 0 ? 'refused' : 'failed';
      this.fruitless(action, cause, outcome, error, recorded ? stopwatch() - started : 0);
      throw error;
    }
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    const transition = recorded
      ? this.ofAction(action, cause, outcome, stopwatch() - started, changed, touches)
      : undefined;
    const attending = by?.optimistic ? this.use(by.feature!) : this.attending;
    attending?.committing?.(action, changed, this.group?.number, transition, by);
    for (const { slot, after } of changed) {
      const before = slot.state;
      if (this.group && !this.group.before.has(slot)) this.group.before.set(slot, before);
      slot.state = after;
      slot.told ||= recorded;
      slot.place.changed(before, after, touches ?? slot.editing);
    }
    for (const error of broken) this.problem(error, transition, action);
    if (transition) this.tell(transition);
    this.notify();
    by?.optimistic?.applied();
    this.afterwards(action, transition, tasks);
    return outcome;
  }

  /** Development only: says once that an action does nothing. */
  private noteNotHandled(type: string): void {
    for (const hooks of this.features.values()) if (hooks.awaits?.(type)) return;
    this.reportOnce(`action ${type}`, () => notHandled(type));
  }

  private reportOnce(what: string, error: () => FloeError): void {
    if (this.reported.has(what)) return;
    this.reported.add(what);
    this.problem(error());
  }

  /** The last stage: work that an action starts. */
  afterwards(action: AnyAction, transition: Transition | undefined, tasks = this.answering.to(action).tasks): void {
    if (tasks.length > 0) this.use(tasks[0].feature);
    if (this.afterHooks.length === 0) return;
    // The work that begins is the application's: it finds what is shown.
    const after = (): void =>
      this.ends.outside(() => {
        for (const hooks of this.afterHooks) hooks.after(action, tasks, transition);
      });
    if (this.group) this.group.heard.push(after);
    else after();
  }

  /** The short way for the common case: one change of one store, without a listener. */
  private applyAlone(slot: Slot, change: Change, action: AnyAction): 'applied' | 'unchanged' {
    const before = slot.state;
    const after = this.changing.alone(slot, change, before, action);
    if (after === before) {
      if (this.afterHooks.length > 0) this.afterwards(action, undefined, NO_TASKS);
      return 'unchanged';
    }
    if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });
    slot.state = after;
    slot.place.changed(before, after, slot.editing);
    this.notify();
    if (this.afterHooks.length > 0) this.afterwards(action, undefined, NO_TASKS);
    return 'applied';
  }

  /** The same where it is recorded. What the draft touched is only good until the next change: a recorder looks at once. */
  private recordAlone(slot: Slot, change: Change, action: AnyAction, cause: Cause): 'applied' | 'unchanged' {
    const started = stopwatch();
    const before = slot.state;
    let after: unknown;
    try {
      after = this.changing.alone(slot, change, before, action);
      if (DEV && after !== before)
        guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });
    } catch (error) {
      this.fruitless(action, cause, 'failed', error, stopwatch() - started);
      throw error;
    }
    const took = stopwatch() - started;
    const outcome = after === before ? 'unchanged' : 'applied';
    const changed = after === before ? NO_CHANGES : [slotChange(slot, after)];
    const transition = this.ofAction(action, cause, outcome, took, changed, slot.editing, undefined, started);
    if (after !== before) {
      slot.state = after;
      slot.told = true;
      slot.place.changed(before, after, slot.editing);
    }
    this.tell(transition);
    this.notify();
    if (this.afterHooks.length > 0) this.afterwards(action, transition, NO_TASKS);
    return outcome;
  }

  // ---- groups ----

  batch<T>(fn: () => T): T {
    this.open('batch');
    this.forbidInside('batch');
    return this.call(() => {
      this.held++;
      try {
        return fn();
      } finally {
        this.held--;
        this.notify();
      }
    });
  }

  atomic<T>(fn: () => T): T {
    this.open('atomic');
    this.forbidInside('atomic');
    if (this.group) return fn();
    return this.call(() => this.transaction(fn));
  }

  private transaction<T>(fn: () => T): T {
    this.beHere();
    const group: Group = { number: ++this.groups, transitions: [], before: new Map(), heard: [], later: [] };
    this.group = group;
    this.held++;
    try {
      const result = fn();
      if (isThenable(result)) throw asyncInAtomic('waiting');
      const changed = Array.from(group.before, ([slot, before]) => ({ store: slot.store, before, after: slot.state }));
      const broken = brokenBy(changed, 'atomic');
      if (broken.length > 0 && this.options.invariants === 'refuse') throw broken[0];
      for (const error of broken) this.problem(error, group.transitions.at(-1));
      this.group = undefined;
      for (const transition of group.transitions) {
        transition.caught = transition.outcome === 'failed';
        this.tell(transition);
      }
      // Tasks start after the watchers were notified.
      group.later.unshift(...group.heard);
      return result;
    } catch (error) {
      this.group = undefined;
      for (const hooks of this.features.values()) hooks.rolledBack?.(group.number);
      for (const [slot, before] of group.before) {
        const { state } = slot;
        slot.state = before;
        slot.place.changed(state, before, undefined);
      }
      this.eachListener((listener) => listener.reverting?.(group.transitions));
      for (const transition of group.transitions) {
        const { fact, action } = transition;
        // A store that joined meanwhile has joined.
        if (fact === 'joined' || fact === 'rehydrated') this.tell(transition);
        else if (action) this.tell({ ...transition, outcome: 'reverted', changed: [], reason: error });
      }
      throw error;
    } finally {
      this.held--;
      this.notify();
      for (const fn of group.later) fn();
    }
  }

  later(fn: () => void): void {
    if (this.group) this.group.later.push(fn);
    else fn();
  }

  // ---- the past, and the live end ----

  restore(
    states: Readonly<Record<string, unknown>>,
    live: boolean,
    liveStates?: Readonly<Record<string, unknown>>,
  ): void {
    this.mayMove();
    if (this.ends.unseen) throw wrongPlace('moving in time', 'what happens unseen at the live end');
    // Statuses of tasks that have not run in this runtime.
    for (const [name, state] of Object.entries(liveStates ?? states))
      if (isStatuses(name, state) && !this.slots.has(name)) this.addSlot(statusesNamed(name), state, true);
    if (!live) this.ends.part();
    if (!live && liveStates) this.atLive(() => this.putStates(liveStates));
    this.putStates(states);
    if (live) {
      this.ends.join();
      this.lineChanged();
    }
    this.latest = undefined;
    this.moving = true;
    try {
      this.eachListener((listener) => listener.travelled?.(live));
      this.notify();
    } finally {
      this.moving = false;
    }
  }

  /** Throws where the cursor cannot move: in a change, in a selector, in a transaction or a batch, after the end. */
  mayMove(): void {
    this.open('moving in time');
    this.forbidInside('moving in time');
    if (this.held > 0 && !this.notifying) throw wrongPlace('moving in time', this.group ? 'atomic' : 'batch');
  }

  private putStates(states: Readonly<Record<string, unknown>>): void {
    for (const [name, slot] of this.slots) {
      slot.told = hasOwn(states, name);
      // What joined later is shown as it is; but of a task that had not yet run there is nothing to show.
      if (!slot.told && !slot.store.internal) continue;
      const state = slot.told ? states[name] : slot.store.begin();
      guardData(state, { at: '', what: `The restored state of '${name}'` });
      const before = slot.state;
      slot.state = state;
      slot.place.changed(before, slot.state, undefined);
    }
  }

  atLive<T>(fn: () => T): T {
    return this.ends.atLive(fn);
  }

  /** The application does something: where the past is shown, a branch begins there. */
  private beHere(): void {
    if (this.ends.showsPast && !this.moving) this.beginBranch();
  }

  /** What is shown becomes the live end: the application did something in the past. */
  private beginBranch(): void {
    this.leave((transition) => this.isShown(transition), 'branch');
    this.ends.join();
    this.lineChanged();
    this.endLost('branch', []);
  }

  endLost(reason: 'branch' | 'import', claimed: readonly RunNote[]): void {
    const running = (statuses: string): Running | undefined => {
      for (const hooks of this.features.values()) {
        const found = hooks.running?.(statuses);
        if (found) return found;
      }
      return undefined;
    };
    this.atLive(() => endLostRuns(this, running, reason, claimed));
  }

  isShown(transition: Transition | undefined): boolean {
    return transition !== undefined && this.listeners.every((listener) => listener.isShown?.(transition) ?? true);
  }

  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void {
    for (const hooks of this.features.values()) hooks.leave?.(stays, reason);
  }

  // ---- optimistic actions ----

  compute(
    action: AnyAction,
    stateOf: (slot: Slot) => unknown,
    leftOut?: ReadonlySet<Slot>,
  ): ReadonlyMap<Slot, unknown> {
    const changed = new Map<Slot, unknown>();
    for (const { slot, changes } of this.answering.to(action).stores) {
      if (leftOut?.has(slot)) continue;
      const before = stateOf(slot);
      const after = this.changing.all(slot, changes, before, action);
      if (after !== before) changed.set(slot, after);
    }
    return changed;
  }

  about(kind: 'action' | 'task', name: string): About | undefined {
    const stores = this.stores();
    return kind === 'action'
      ? aboutAction(name, stores)
      : aboutTask(name, stores, Array.from(this.features.values(), ({ tasks = [] }) => [...tasks]).flat());
  }

  // ---- features ----

  /** The first answer of a feature. */
  private answer<T>(ask: (hooks: Hooks) => T | undefined): T | undefined {
    for (const hooks of this.features.values()) {
      const answer = ask(hooks);
      if (answer !== undefined) return answer;
    }
    return undefined;
  }

  attend(hooks: Pick<Hooks, 'committing' | 'stated'>, attends: boolean): void {
    this.attending = attends ? hooks : undefined;
  }

  private lineChanged(): void {
    for (const hooks of this.features.values()) hooks.lineChanged?.();
  }

  show(
    { states, problems }: Rebased,
    fact: FactName,
    cause: Cause,
    more: Partial<Transition> = {},
    type = fact as string,
  ): Transition | undefined {
    const changed: SlotChange[] = [];
    for (const [slot, state] of states) {
      // What stays the same stays the same object.
      const after = keeping(slot.state, state);
      if (after !== slot.state) changed.push(slotChange(slot, after));
    }
    const found = [...problems(type), ...brokenBy(changed, more.action?.type ?? type)];
    const transition = this.recorded ? this.ofFact(fact, changed, cause, more) : undefined;
    for (const { slot, after } of changed) {
      if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${type}'` });
      const before = slot.state;
      slot.state = after;
      slot.told ||= this.recorded;
      slot.place.changed(before, after, undefined);
    }
    for (const problem of found) this.problem(problem, transition);
    if (transition) this.tell(transition);
    return transition;
  }

  use<H extends Hooks>(feature: Feature<H>): H {
    const known = this.features.get(feature);
    if (known) return known as H;
    const hooks = feature.install(this);
    this.features.set(feature, hooks);
    if (hooks.after) this.afterHooks.push(hooks as Required<Pick<Hooks, 'after'>>);
    return hooks;
  }

  /** Runs what a call says, by the feature that the call names. */
  run(call: unknown): unknown {
    const task = (call as { readonly task?: DeclaredTask } | null | undefined)?.task;
    if (typeof task?.feature?.install !== 'function') throw notATaskCall(call);
    return this.use(task.feature).run!(call);
  }

  get isClosed(): boolean {
    return this.ended;
  }
  get isInTransaction(): boolean {
    return this.group !== undefined;
  }
  get isMoving(): boolean {
    return this.moving;
  }
  get recorded(): boolean {
    return this.listeners.length > 0;
  }

  readLive<T>(source: Source<T>): T {
    return this.atLive(() => this.ends.reading.read(source) as T);
  }

  beginWork(): Cause {
    if (!this.notifying) this.beHere();
    return this.deciding ? this.byDispatcher() : this.byCode();
  }

  dispatchLive(action: AnyAction, cause: Cause, by: Applying): DispatchResult {
    const why = this.ended ? 'its run is over: closed' : by.stopped?.();
    if (why !== undefined) return this.atLive(() => this.stop(action, cause, why));
    this.forbidInside('dispatch');
    if (this.notifying) return this.enqueue(action, cause, by);
    return this.call(() => this.atLive(() => this.decide(action, cause, by)));
  }

  noteFact(
    fact: FactName,
    changed: SlotChange | undefined,
    cause: Cause,
    more: Partial<Transition>,
  ): Transition | undefined {
    if (changed) {
      const { slot, after } = changed;
      const before = slot.state;
      slot.state = after;
      slot.told ||= this.recorded;
      slot.place.changed(before, after, undefined);
    }
    let transition: Transition | undefined;
    if (this.recorded) {
      transition = this.ofFact(fact, changed ? [changed] : NO_CHANGES, cause, more);
      this.tell(transition);
    }
    this.notify();
    return transition;
  }

  // ---- states from elsewhere ----

  reset(stores: readonly StoreDefinition[]): void {
    this.open('reset');
    this.forbidInside('reset');
    if (this.moving) return;
    this.beHere();
    const named = stores.length > 0 ? stores.map((store) => this.slot(store)) : [...this.slots.values()];
    const changed = named
      .filter(({ store }) => !store.internal)
      .map(({ store, state }) => {
        const after = unnoted(() => store.begin());
        guardData(after, { at: '', what: `The initial state of '${store.name}'` });
        return { store, before: state, after: sameData(state, after) ? state : after };
      });
    this.call(() => this.place(changed, 'reset'));
  }

  state(changes: readonly StoreChange[], fact: FactName, more?: Partial<Transition>): boolean {
    const by = more?.cause?.by;
    const isFromElsewhere = by === 'storage' || by === 'tab';
    // An attachment that closes has still to store what it takes in.
    if (!isFromElsewhere) this.open(fact);
    this.forbidInside(fact);
    for (const { store, after } of changes) guardData(after, { at: '', what: `The state of '${store.name}'` });
    // What comes from a storage or another tab is news for the live end, wherever the cursor is.
    if (isFromElsewhere) {
      this.later(() =>
        this.atLive(() => {
          const states = new Map(changes.map(({ store, after }) => [this.slots.get(store.name)!, after]));
          const rebased = this.answer((hooks) => hooks.rebase?.(states)) ?? { states, problems: () => [] };
          this.show(rebased, fact, more!.cause!);
          this.notify();
        }),
      );
      return true;
    }
    if (this.moving) return false;
    this.beHere();
    this.place(changes, fact, more);
    return true;
  }

  private place(changes: readonly StoreChange[], fact: FactName, more?: Partial<Transition>): void {
    // A state that is equal now may differ when an optimistic action is reverted.
    for (const { store, after } of changes)
      this.attending?.stated?.(this.slots.get(store.name)!, after, this.group?.number);
    const changed = changes.filter(({ before, after }) => before !== after);
    for (const { store, before, after } of changed) {
      const slot = this.slots.get(store.name)!;
      if (this.group && !this.group.before.has(slot)) this.group.before.set(slot, before);
      slot.state = after;
      slot.place.changed(before, after, undefined);
    }
    this.tell(this.ofFact(fact, changed, { by: 'runtime' }, more));
    this.notify();
  }

  tell(transition: Transition): void {
    // What an attachment takes in while it closes is there for what is still to be stored, and no step.
    if (this.ended && (transition.fact === 'rehydrated' || transition.fact === 'fromTab')) return;
    this.latest = transition;
    const { deciding } = this;
    if (deciding !== undefined && deciding.action === transition.action) deciding.of = transition;
    if (this.group) return void this.group.transitions.push(transition);
    // A store that joins during time travel is part of the live state, though it is shown.
    const { fact } = transition;
    if (this.ends.unseen || (this.ends.showsPast && (fact === 'joined' || fact === 'rehydrated')))
      transition.unseen = true;
    // Written out: a function for each transition costs as much as what a listener does with most of them.
    for (const listener of this.listeners) {
      try {
        listener.transition?.(transition);
      } catch (error) {
        (transition.problems ??= []).push(error);
        this.report(error, transition.action);
      }
    }
  }

  // ---- watching ----

  readonly read: Read = <T>(source: Source<T>): T => {
    this.open('read');
    return this.ends.reading.read(source) as T;
  };

  watch(source: Source<unknown>, listener: (now: never, before: never) => void, how?: InnerWatching): () => void {
    this.open('watch');
    return this.ends.reading.watch(source, listener, how);
  }

  /** What the watchers of the application read, for bindings. */
  get screen(): Reading {
    return this.ends.reading;
  }

  follow(fn: (read: Read) => void): () => void {
    this.open('follow');
    const stop = this.ends.reading.follow(fn);
    this.notify();
    return stop;
  }

  schedule(informed: Informed): void {
    this.ends.due.add(informed);
  }

  asWatcher(fn: () => void): void {
    const outer = this.notifying;
    this.notifying = true;
    try {
      fn();
    } finally {
      this.notifying = outer;
    }
  }

  /** Notifies watchers, then does what they dispatched meanwhile, until there is no more. */
  notify(): void {
    if (this.notifying || this.held > 0 || (this.ends.due.count === 0 && this.queue.length === 0)) return;
    try {
      for (;;) {
        this.notifying = true;
        this.toldOf = this.latest;
        this.ends.due.inform();
        const next = this.queue.shift();
        if (!next) break;
        this.link = next.link;
        this.queued++;
        if (this.isEndless(next)) continue;
        this.notifying = false;
        this.held++;
        try {
          const { action, cause, by } = next;
          if (cause.run !== undefined) {
            const why = by?.stopped?.();
            this.atLive(() => (why === undefined ? this.decide(action, cause, by) : this.stop(action, cause, why)));
          } else {
            this.beHere();
            this.decide(action, cause);
          }
        } catch (error) {
          this.problem(error, undefined, next.action);
        } finally {
          this.held--;
        }
      }
    } finally {
      this.notifying = false;
      this.toldOf = this.link = undefined;
      this.queued = 0;
      // Without a caller there is nowhere to throw it.
      if (this.calls === 0 && this.faults.length > 0) for (const error of this.faults.splice(0)) this.problem(error);
      if (this.features.size > 0) this.becomeIdle();
    }
  }

  /** Whether a dispatch out of a watcher goes round without end: then that chain stops, and the others go on. */
  private isEndless({ link }: Queued): boolean {
    const isTooMany = this.queued > MOST_QUEUED;
    if (link.depth <= MOST_LINKS && !isTooMany) return false;
    const types = new Set<string>();
    for (let one: Link | undefined = link; one; one = one.after) types.add(one.type);
    if (isTooMany) {
      for (const { action } of this.queue.splice(0)) types.add(action.type);
      this.queued = 0;
    }
    this.faults.push(endlessLoop([...types].reverse()));
    return true;
  }

  // ---- the rest ----

  problem(error: unknown, transition?: Transition, action = transition?.action): void {
    this.note(error, transition);
    this.report(error, action);
  }

  /** Notes an error on the transition that it belongs to: the one whose watchers are notified now, where none is given. */
  private note(error: unknown, given?: Transition): void {
    const transition = given ?? (this.notifying ? this.toldOf : undefined);
    if (!transition) return;
    (transition.problems ??= []).push(error);
    if (transition.step !== undefined) this.eachListener((listener) => listener.noted?.(transition));
  }

  private report(error: unknown, action: AnyAction | undefined): void {
    const report = this.options.onProblem ?? ((problem: Problem) => complain(problem.error));
    try {
      report(action ? { error, action } : { error });
    } catch (second) {
      complain(second);
    }
  }

  addInterceptor(name: string, fn: Interceptor): () => void {
    this.open('addInterceptor');
    const added = { name, fn };
    this.interceptors.push(added);
    return () => {
      const index = this.interceptors.indexOf(added);
      if (index >= 0) this.interceptors.splice(index, 1);
    };
  }

  snapshot(only?: readonly StoreDefinition[]): Record<string, unknown> {
    if (!only) return this.shown();
    return Object.fromEntries(only.map((store) => [store.name, this.slot(store).state]));
  }

  close(): Promise<void> {
    if (this.ended) return this.closing;
    for (const end of this.waiting) end();
    this.waiting.clear();
    for (const hooks of this.features.values()) hooks.close?.();
    this.ended = true;
    this.ends.due.clear();
    this.queue.length = 0;
    this.ends.reading.clear();
    const closing: PromiseLike<void>[] = [];
    this.eachListener((listener) => {
      const done = listener.close?.();
      if (done) closing.push(done);
    });
    if (closing.length > 0) this.closing = Promise.all(closing).then(() => undefined);
    return this.closing;
  }
}

/** Whether two definitions of a store declare the same top-level fields. */
function sameFields(a: StoreDefinition, b: StoreDefinition): boolean {
  const [before, after] = unnoted(() => [a.begin(), b.begin()]);
  if (!isContainer(before) || !isContainer(after)) return typeof before === typeof after;
  const fields = (state: object): string => JSON.stringify(Object.keys(state).sort());
  return Array.isArray(before) === Array.isArray(after) && fields(before) === fields(after);
}
