// The engine of a runtime: which stores there are, how an action goes through them, what is attached, and who is told.
import { makerOf, type AnyAction, type AnyCreator } from './action.js';
import { difference, type Touch } from './diff.js';
import { Editing } from './draft.js';
import { fromText } from './encode.js';
import {
  asyncChange,
  asyncInAtomic,
  badSnapshot,
  changeFailed,
  closed,
  droppedWithout,
  editedAndReturned,
  endlessLoop,
  fieldsLost,
  FloeError,
  impureChange,
  invariantBroken,
  nameTaken,
  needMissing,
  notAnAction,
  unknownAction,
  wrongPlace,
} from './errors.js';
import { currentReader, unnoted } from './graph.js';
import { complain, stopwatch, timer } from './host.js';
import { decide, type Interceptor } from './interceptor.js';
import { DEV } from './mode.js';
import { guardData, hasOwn, isContainer, put, sameData } from './plain.js';
import { Provisional, type Settling } from './optimistic.js';
import { applyPatch } from './patch.js';
import { Reading, type Ground, type Informed } from './reading.js';
import { Runs, type RunHost } from './runs.js';
import type { TaskRun } from './run.js';
import type { DispatchResult, Problem, RuntimeOptions } from './runtime.js';
import type { Read, Source } from './source.js';
import { declared, type Change, type StoreDefinition } from './store.js';
import {
  callOf,
  freeTasks,
  startsWith,
  type Need,
  type Optimistic,
  type Statuses,
  type TaskCall,
  type TaskDefinition,
} from './task.js';
import { Place } from './tracking.js';
import {
  ATTACH,
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

/** A store in a runtime. */
interface Slot {
  store: StoreDefinition;
  state: unknown;
  place: Place;
  editing: Editing;
  /** Whether those who record know of it on the present line. */
  told: boolean;
}

/** What of a slot differs between what is shown and the live end. */
type Ends = Pick<Slot, 'state' | 'place' | 'told'>;

/** The other end while the cursor is in the past: the live one, or what is shown while the live one is worked on. */
interface OtherEnd {
  readonly slots: Map<Slot, Ends>;
  reading: Reading;
  pending: Informed[];
}

interface Answer {
  readonly slot: Slot;
  readonly changes: readonly Change[];
}

/** Who answers actions of a type. */
interface Answers {
  readonly maker: AnyCreator | undefined;
  readonly stores: readonly Answer[];
  readonly tasks: readonly TaskDefinition[];
}

/** What stands or falls together. */
interface Group {
  readonly number: number;
  readonly transitions: Transition[];
  readonly before: Map<Slot, unknown>;
  /** What is told to tasks, and done, when it stands. */
  readonly heard: (() => void)[];
  /** What waits for its end, however it ends. */
  readonly later: (() => void)[];
}

/** How an action of a run is applied. */
interface Applying {
  /** Why it can no longer be applied, if it cannot. */
  readonly stopped?: () => string | undefined;
  /** Told of the entry that an optimistic action became, and then that it is applied. */
  readonly optimistic?: { became(entry: Settling<Slot>): void; applied(): void } | undefined;
}

interface Queued {
  readonly action: AnyAction;
  readonly cause: Cause;
  readonly by?: Applying;
}

const BY_CODE: Cause = { by: 'code' };
const NO_TASKS: readonly TaskDefinition[] = [];

/** As many dispatches out of watchers, one after the other, are taken for an endless loop. */
const MOST_ROUNDS = 1000;

/** What a runtime is made of: the stores with their states, and the one line of transitions. */
export class Engine implements Host, Ground, RunHost {
  private readonly slots = new Map<string, Slot>();
  private readonly initial: Readonly<Record<string, unknown>>;
  private readonly listeners: Listener[] = [];
  private readonly interceptors: { readonly name: string; readonly fn: Interceptor }[] = [];
  /** By action type: who answers. Made anew when something is declared or a store joins. */
  private readonly answers = new Map<string, Answers>();
  private knownDeclarations = declared;
  private reading = new Reading(this);
  private readonly retired = new Set<StoreDefinition>();
  private pending: Informed[] = [];
  private readonly queue: Queued[] = [];
  private notifying = false;
  private held = 0;
  private inside = '';
  /** The transition whose watchers are told: what they dispatch answers it. */
  private answering: Transition | undefined;
  private latest: Transition | undefined;
  private group: Group | undefined;
  private groups = 0;
  /** There while the cursor is in the past. */
  private other: OtherEnd | undefined;
  private atTheLiveEnd = false;
  private provisional: Provisional<Slot> | undefined;
  private readonly runs = new Runs(this);
  private readonly needs = new Map<Need<never>, unknown>();
  private readonly waiting = new Set<() => void>();
  private ended = false;
  readonly now: () => number;
  readonly random: () => number;
  readonly after: (ms: number, fn: () => void) => () => void;

  constructor(private readonly options: RuntimeOptions) {
    const { initial = {}, clock, random = Math.random, needs = [] } = options;
    this.now = typeof clock === 'function' ? clock : clock ? () => clock.now() : Date.now;
    this.after = typeof clock === 'object' ? (ms, fn) => clock.after(ms, fn) : timer;
    this.random = random;
    for (const { need, value } of needs) this.needs.set(need, value);
    const given = typeof initial === 'string' ? fromText(initial) : initial;
    if (!isContainer(given) || Array.isArray(given)) throw badSnapshot('it is not an object with the states of stores');
    this.initial = given;
    for (const fn of options.interceptors ?? []) this.interceptors.push({ name: fn.name, fn });
  }

  attach<Face>(attachment: Attachment<Face>): Face {
    const { face, listener } = attachment[ATTACH](this);
    this.listeners.push(listener);
    return face;
  }

  // ---- stores ----

  states(): Record<string, unknown> {
    const certain = this.provisional?.certain();
    return this.atLiveEnd(() => this.statesBy((slot) => (certain?.has(slot) ? certain.get(slot) : slot.state)));
  }

  get uncertain(): boolean {
    return this.provisional !== undefined;
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
    const fresh = stores.filter((store) => this.slots.get(store.name)?.store !== store && !this.retired.has(store));
    const names = new Set(this.slots.keys());
    for (const { name } of fresh) if (names.size === names.add(name).size) throw nameTaken('The store', name);
    for (const store of fresh) {
      let state = hasOwn(this.initial, store.name) ? this.initial[store.name] : unnoted(() => store.begin());
      guardData(state, { at: '', what: `The initial state of '${store.name}'` });
      changed.push({ store, before: undefined, after: state, joined: true });
      for (const listener of this.listeners) {
        const stored = listener.begin?.(store, state) ?? state;
        if (stored === state) continue;
        guardData(stored, { at: '', what: `The stored state of '${store.name}'` });
        rehydrated.push({ store, before: state, after: stored });
        state = stored;
      }
      this.addSlot(store, state, true);
    }
    if (changed.length === 0) return;
    this.answers.clear();
    this.tellFact(fact, changed, 'runtime');
    if (rehydrated.length > 0) this.tellFact('rehydrated', rehydrated, 'storage');
    const starting = fresh.flatMap((store) => store.tasks.filter(({ options }) => options.atStart));
    if (starting.length > 0) this.startLater(starting);
  }

  private addSlot(store: StoreDefinition, state: unknown, told: boolean): Slot {
    const slot: Slot = { store, state, place: new Place(undefined, ''), editing: new Editing(), told };
    this.slots.set(store.name, slot);
    this.other?.slots.set(slot, { state, place: new Place(undefined, ''), told });
    if (!store.internal) this.logFact(slot, state);
    return slot;
  }

  /** Tasks that begin with their stores: not inside a selector that was the first to read one. */
  private startLater(tasks: readonly TaskDefinition[]): void {
    const start = (): void => this.later(() => this.runs.atStart(tasks));
    if (this.inside || currentReader()) void Promise.resolve().then(start);
    else start();
  }

  slot(store: StoreDefinition): Slot {
    const slot = this.slots.get(store.name);
    if (slot && (slot.store === store || this.retired.has(store) || store.internal)) return slot;
    if (this.ended) throw closed('read');
    if (store.internal) return this.addSlot(store, store.begin(), false);
    this.join([store], 'joined');
    return this.slots.get(store.name)!;
  }

  renew(store: StoreDefinition): void {
    const slot = this.slots.get(store.name);
    if (!slot) return this.join([store], 'joined');
    // Modules that were not reloaded still hold the old definition: it goes on standing for the store.
    this.retired.add(slot.store);
    slot.store = store;
    this.answers.clear();
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
    this.place([{ store, before, after }], 'renewed');
  }

  // ---- dispatch ----

  dispatch(action: AnyAction): DispatchResult {
    this.open('dispatch');
    checkAction(action);
    this.forbidInside('dispatch');
    if (this.notifying) {
      this.queue.push({ action, cause: this.byCode() });
      return 'queued';
    }
    if (this.other) this.beginBranch();
    return this.decide(action, BY_CODE);
  }

  /** Who dispatches or runs something now: the application, perhaps in answer to what its watchers are told of. */
  private byCode(): Cause {
    return this.answering ? { by: 'code', of: this.answering } : BY_CODE;
  }

  private open(what: string): void {
    if (this.ended) throw closed(what);
  }

  private forbidInside(what: string): void {
    if (this.inside) throw wrongPlace(what, this.inside);
    const reader = currentReader();
    if (reader && !reader.effect) throw wrongPlace(what, `the selector '${reader.name}'`);
  }

  /** Asks the interceptors, then applies. */
  private decide(action: AnyAction, cause: Cause, by?: Applying): DispatchResult {
    if (this.interceptors.length === 0) return this.apply(action, cause, by);
    return decide({
      action,
      interceptors: this.interceptors.slice(),
      about: makerOf(action)?.about,
      read: this.read,
      apply: (passed) => {
        if (passed !== action) checkAction(passed);
        // It may have waited: the run that dispatched it may be over, and the cursor elsewhere.
        const why = by?.stopped?.();
        if (why !== undefined) return this.stop(passed, cause, why);
        return cause.run === undefined
          ? this.apply(passed, cause, by)
          : this.atLiveEnd(() => this.apply(passed, cause, by));
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

  private stop(action: AnyAction, cause: Cause, reason: string): 'stopped' {
    this.fruitless(action, cause, 'stopped', reason);
    return 'stopped';
  }

  /** Records an action that changed nothing. */
  private fruitless(action: AnyAction, cause: Cause, outcome: Outcome, reason?: unknown, took = 0): void {
    if (this.listeners.length > 0) this.tell(this.ofAction(action, cause, outcome, { reason, took }));
  }

  private ofAction(action: AnyAction, cause: Cause, outcome: Outcome, more: Partial<Transition>): Transition {
    return {
      kind: 'action',
      action,
      cause,
      outcome,
      changed: [],
      time: this.now(),
      took: 0,
      group: this.group?.number,
      problems: [],
      ...more,
    };
  }

  private tellFact(fact: FactName, changed: readonly StoreChange[], by: Cause['by']): void {
    this.tell(this.ofFact(fact, changed, { by }));
  }

  private ofFact(
    fact: FactName,
    changed: readonly StoreChange[],
    cause: Cause,
    more?: Partial<Transition>,
  ): Transition {
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    return { kind: 'fact', fact, cause, outcome, changed, time: this.now(), took: 0, problems: [], ...more };
  }

  private answersTo(action: AnyAction): Answers {
    if (this.knownDeclarations !== declared) {
      this.knownDeclarations = declared;
      this.answers.clear();
    }
    const maker = makerOf(action);
    const known = this.answers.get(action.type);
    if (known && (maker === undefined || known.maker === maker)) return known;
    if (maker?.store) this.slot(maker.store);
    const stores: Answer[] = [];
    const tasks = freeTasks.filter((task) => startsWith(task, action.type));
    for (const slot of this.slots.values()) {
      const changes = [...slot.store.changesFor(action.type)];
      if (changes.length > 0) stores.push({ slot, changes });
      tasks.push(...slot.store.tasks.filter((task) => startsWith(task, action.type)));
    }
    if (stores.length === 0 && tasks.length === 0 && !maker) throw unknownAction(action.type, this.knownTypes());
    const answers = { maker, stores, tasks };
    this.answers.set(action.type, answers);
    return answers;
  }

  private *knownTypes(): Iterable<string> {
    for (const { store } of this.slots.values()) yield* store.types();
  }

  private apply(action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { type } = action;
    const { stores, tasks } = this.answersTo(action);
    const recorded = this.listeners.length > 0;
    const [only] = stores;
    if (
      stores.length === 1 &&
      !recorded &&
      !this.group &&
      !this.provisional &&
      !by &&
      tasks.length === 0 &&
      only.changes.length === 1 &&
      only.slot.store.invariants.length === 0
    ) {
      return this.applyAlone(only.slot, only.changes[0], action);
    }
    const started = recorded ? stopwatch() : 0;
    const changed: (StoreChange & { readonly slot: Slot })[] = [];
    const touches = recorded ? new Map<unknown, Touch>() : undefined;
    let broken: FloeError[] = [];
    try {
      for (const { slot, changes } of stores) {
        const before = slot.state;
        const after = this.changeAll(slot, changes, before, action, touches);
        if (after === before) continue;
        changed.push(slot.told ? { store: slot.store, slot, before, after } : joinedBy(slot, after));
      }
      if (changed.length > 0 && !this.group) broken = this.brokenBy(changed, type);
      if (broken.length > 0 && this.options.invariants === 'refuse') throw broken[0];
    } catch (error) {
      const outcome = broken.length > 0 ? 'refused' : 'failed';
      this.fruitless(action, cause, outcome, error, recorded ? stopwatch() - started : 0);
      throw error;
    }
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    const transition = recorded
      ? this.ofAction(action, cause, outcome, { changed, touches, took: stopwatch() - started })
      : undefined;
    if (by?.optimistic) this.provisional ??= this.beginProvisional();
    if (this.provisional) {
      const entry: Settling<Slot> = {
        action,
        after: new Map(changed.map(({ slot, after }) => [slot, after])),
        group: this.group?.number,
        transition,
        open: by?.optimistic !== undefined,
        gone: false,
      };
      this.provisional.add(entry);
      by?.optimistic?.became(entry);
    }
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
    this.heard(action, tasks, transition);
    return outcome;
  }

  /** The state of one store after all of its changes for an action. */
  private changeAll(
    slot: Slot,
    changes: readonly Change[],
    before: unknown,
    action: AnyAction,
    touches?: Map<unknown, Touch>,
  ): unknown {
    let after = before;
    for (const change of changes) after = this.change(slot, change, after, action, touches);
    if (changes.length > 1 && after !== before && sameData(before, after)) return before;
    if (DEV && after !== before)
      guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });
    return after;
  }

  private heard(action: AnyAction, tasks: readonly TaskDefinition[], transition: Transition | undefined): void {
    if (tasks.length === 0 && !this.runs.listens) return;
    const hear = (): void => this.runs.heard(action, tasks, transition);
    if (this.group) this.group.heard.push(hear);
    else hear();
  }

  /** The short way for the common case: one change of one store, and nobody records it. */
  private applyAlone(slot: Slot, change: Change, action: AnyAction): 'applied' | 'unchanged' {
    const before = slot.state;
    const after = this.change(slot, change, before, action);
    if (after === before) {
      if (this.runs.listens) this.heard(action, NO_TASKS, undefined);
      return 'unchanged';
    }
    if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });
    slot.state = after;
    slot.place.changed(before, after, slot.editing);
    this.notify();
    if (this.runs.listens) this.heard(action, NO_TASKS, undefined);
    return 'applied';
  }

  /** The state of one store after one change. */
  private change(
    slot: Slot,
    change: Change,
    before: unknown,
    action: AnyAction,
    touches?: Map<unknown, Touch>,
  ): unknown {
    const { type } = action;
    const { name } = slot.store;
    const outer = this.inside;
    this.inside = DEV ? `the change of '${name}' for '${type}'` : name;
    if (DEV) slot.editing = new Editing();
    const { editing } = slot;
    try {
      editing.run(before, change, action.payload);
      const { next, returned } = editing;
      if (returned === undefined) {
        if (touches) editing.remember(touches);
      } else if (isThenable(returned)) {
        // Nobody waits for it: whatever it comes to has no effect.
        returned.then(undefined, () => undefined);
        throw asyncChange(type, name);
      } else if (editing.edited) throw editedAndReturned(type, name);
      const after = returned === undefined ? next : sameData(before, returned) ? before : returned;
      if (DEV && this.options.checkPurity) checkPurity(name, change, before, action, after);
      return after;
    } catch (error) {
      throw error instanceof FloeError ? error : changeFailed(type, name, error);
    } finally {
      this.inside = outer;
    }
  }

  private brokenBy(
    changed: readonly { readonly store: StoreDefinition; readonly after: unknown }[],
    type: string,
  ): FloeError[] {
    const broken: FloeError[] = [];
    for (const { store, after } of changed) {
      for (const { name, holds } of store.invariants) {
        try {
          if (!holds(after as never)) broken.push(invariantBroken(name, type));
        } catch (cause) {
          broken.push(invariantBroken(name, type, cause));
        }
      }
    }
    return broken;
  }

  // ---- groups ----

  batch<T>(fn: () => T): T {
    this.open('batch');
    this.forbidInside('batch');
    this.held++;
    try {
      return fn();
    } finally {
      this.held--;
      this.notify();
    }
  }

  atomic<T>(fn: () => T): T {
    this.open('atomic');
    this.forbidInside('atomic');
    if (this.group) return fn();
    if (this.other && !this.atTheLiveEnd) this.beginBranch();
    const group: Group = { number: ++this.groups, transitions: [], before: new Map(), heard: [], later: [] };
    this.group = group;
    this.held++;
    try {
      const result = fn();
      if (isThenable(result)) throw asyncInAtomic('waiting');
      const changed = Array.from(group.before, ([slot, before]) => ({ store: slot.store, before, after: slot.state }));
      const broken = this.brokenBy(changed, 'atomic');
      if (broken.length > 0 && this.options.invariants === 'refuse') throw broken[0];
      for (const error of broken) this.problem(error, group.transitions.at(-1));
      this.group = undefined;
      for (const transition of group.transitions) this.tell(transition);
      // Tasks begin when those who watch were told.
      group.later.unshift(...group.heard);
      return result;
    } catch (error) {
      this.group = undefined;
      this.provisional?.keep((entry) => entry.group !== group.number);
      this.settleProvisional();
      for (const [slot, before] of group.before) {
        const { state } = slot;
        slot.state = before;
        slot.place.changed(state, before, undefined);
      }
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

  restore(states: Readonly<Record<string, unknown>>, live: boolean): void {
    if (!live && !this.other) this.leaveLiveEnd();
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
    if (live) {
      this.other = undefined;
      this.keepProvisional();
    }
    this.latest = undefined;
    for (const listener of this.listeners) listener.travelled?.(live);
    this.notify();
  }

  /** From now on the slots hold what is shown; the live end stands beside. */
  private leaveLiveEnd(): void {
    const slots = new Map<Slot, Ends>();
    for (const slot of this.slots.values())
      slots.set(slot, { state: slot.state, place: new Place(undefined, ''), told: slot.told });
    this.other = { slots, reading: new Reading(this), pending: [] };
  }

  /** Does something at the live end, unseen while the cursor is in the past. */
  private atLiveEnd<T>(fn: () => T): T {
    if (!this.other || this.atTheLiveEnd) return fn();
    this.changeEnds(this.other);
    this.atTheLiveEnd = true;
    try {
      return fn();
    } finally {
      this.atTheLiveEnd = false;
      this.changeEnds(this.other);
    }
  }

  private changeEnds(other: OtherEnd): void {
    for (const [slot, { state, place, told }] of other.slots) {
      other.slots.set(slot, { state: slot.state, place: slot.place, told: slot.told });
      Object.assign(slot, { state, place, told });
    }
    [this.reading, other.reading] = [other.reading, this.reading];
    [this.pending, other.pending] = [other.pending, this.pending];
  }

  /** What is shown becomes the live end: the application did something in the past. */
  private beginBranch(): void {
    this.leave((transition) => this.isShown(transition));
    this.other = undefined;
    this.keepProvisional();
    for (const { store, state } of [...this.slots.values()])
      if (store.internal) this.runs.endLost(store, state as Statuses);
  }

  private isShown(transition: Transition | undefined): boolean {
    return transition !== undefined && this.listeners.every((listener) => listener.isShown?.(transition) ?? true);
  }

  leave(stays: (transition: Transition) => boolean): void {
    this.runs.leave(stays);
  }

  // ---- optimistic actions ----

  private beginProvisional(): Provisional<Slot> {
    const base = new Map<Slot, unknown>();
    for (const slot of this.slots.values()) if (!slot.store.internal) base.set(slot, slot.state);
    return new Provisional(base, (action, stateOf) => {
      const changed = new Map<Slot, unknown>();
      for (const { slot, changes } of this.answersTo(action).stores) {
        const before = stateOf(slot);
        const after = this.changeAll(slot, changes, before, action);
        if (after !== before) changed.set(slot, after);
      }
      return changed;
    });
  }

  /** On another line only what is part of it can still be taken back. */
  private keepProvisional(): void {
    const { provisional } = this;
    if (!provisional) return;
    let onLine = true;
    provisional.keep(({ action, transition }) => {
      if (action) onLine = this.isShown(transition);
      return onLine;
    });
    // Something else happened on that line as well: what is open there stays.
    if (provisional.settle() && !provisional.leadsTo((slot) => slot.state, sameData)) provisional.keep(() => false);
    this.settleProvisional();
  }

  /** Lets go of what was kept when nothing is open any more. */
  private settleProvisional(): void {
    if (this.provisional && !this.provisional.settle()) this.provisional = undefined;
  }

  /** A state that is stated, not computed, stays whatever is taken back. */
  private logFact(slot: Slot, after: unknown): void {
    this.provisional?.add({
      action: undefined,
      after: new Map([[slot, after]]),
      group: this.group?.number,
      transition: undefined,
      open: false,
      gone: false,
    });
  }

  settle(entry: Settling, how: 'confirmed' | 'reverted', cause: Cause, replacement?: AnyAction): void {
    if (!entry.open || this.ended) return;
    this.later(() => this.atLiveEnd(() => this.settleNow(entry as Settling<Slot>, how, cause, replacement)));
  }

  private settleNow(entry: Settling<Slot>, how: 'confirmed' | 'reverted', cause: Cause, replacement?: AnyAction): void {
    const { provisional } = this;
    if (!entry.open || !provisional) return;
    const type = entry.action!.type;
    const changed: (StoreChange & { readonly slot: Slot })[] = [];
    const problems: FloeError[] = [];
    if (how === 'confirmed' && !replacement) entry.open = false;
    else {
      const { states, dropped } = provisional.again(entry, replacement);
      for (const [slot, state] of states) {
        const before = slot.state;
        // What stays the same stays the same object.
        const after = applyPatch(before, difference(before, state).changes);
        if (after !== before) changed.push({ store: slot.store, slot, before, after });
      }
      problems.push(...dropped.map(({ entry: { action }, error }) => droppedWithout(action!.type, type, error)));
      problems.push(...this.brokenBy(changed, replacement?.type ?? type));
    }
    const transition = this.recorded
      ? this.ofFact(how, changed, cause, { action: replacement, about: entry.transition })
      : undefined;
    for (const { slot, before, after } of changed) {
      slot.state = after;
      if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' without '${type}'` });
      slot.place.changed(before, after, undefined);
    }
    for (const problem of problems) this.problem(problem, transition);
    this.settleProvisional();
    if (transition) this.tell(transition);
    this.notify();
    if (replacement) this.heard(replacement, this.answersTo(replacement).tasks, transition);
  }

  // ---- tasks ----

  run(call: TaskCall<unknown>): TaskRun {
    callOf(call);
    this.mayRun(call.task.name);
    if (this.other && !this.notifying) this.beginBranch();
    return this.runs.start(call, this.byCode());
  }

  startTasks(tasks: readonly TaskDefinition[]): void {
    this.startLater(tasks);
  }

  mayRun(task: string): void {
    this.open('run');
    this.forbidInside(`run of '${task}'`);
    if (this.group) throw asyncInAtomic(`running '${task}'`);
  }

  get recorded(): boolean {
    return this.listeners.length > 0;
  }

  readLive<T>(source: Source<T>): T {
    return this.atLiveEnd(() => this.read(source));
  }

  dispatchBy(run: TaskRun, action: AnyAction, optimistic?: Applying['optimistic']): DispatchResult {
    checkAction(action);
    const cause: Cause = { by: 'task', run: run.id };
    const stopped = (): string | undefined => {
      const { reason } = run;
      return reason === undefined ? undefined : `its run is over: ${reason}`;
    };
    const why = this.ended ? 'its run is over: closed' : stopped();
    if (why !== undefined) return this.atLiveEnd(() => this.stop(action, cause, why));
    this.forbidInside('dispatch');
    const by = { stopped, optimistic };
    if (this.notifying) {
      this.queue.push({ action, cause, by });
      return 'queued';
    }
    return this.atLiveEnd(() => this.decide(action, cause, by));
  }

  atomicBy<T>(run: TaskRun, fn: () => T): T {
    // What a run does after its end is stopped, action by action.
    return this.ended || run.reason !== undefined ? fn() : this.atLiveEnd(() => this.atomic(fn));
  }

  optimisticBy(run: TaskRun, action: AnyAction): Optimistic {
    let entry: Settling<Slot> | undefined;
    let settled: { readonly how: 'confirmed' | 'reverted'; readonly action: AnyAction | undefined } | undefined;
    const cause: Cause = { by: 'task', run: run.id };
    const settle = (how: 'confirmed' | 'reverted', replacement?: AnyAction): void => {
      if (settled) return;
      if (replacement) checkAction(replacement);
      // Not there yet: an interceptor holds it, and it is settled as soon as it is applied.
      if (entry?.open) this.settle(entry, how, cause, replacement);
      // It belongs to a line that was left; what is known by now is news for the present one.
      else if (entry && replacement) this.dispatchBy(run, replacement);
      settled = { how, action: replacement };
      if (entry) run.open?.delete(entry);
    };
    const result = this.dispatchBy(run, action, {
      became: (applied) => {
        entry = applied;
        (run.open ??= new Set()).add(applied);
      },
      applied: () => {
        if (!settled || !entry) return;
        run.open?.delete(entry);
        this.settle(entry, settled.how, cause, settled.action);
      },
    });
    return {
      result,
      confirm: (replacement) => settle('confirmed', replacement),
      revert: () => settle('reverted'),
    };
  }

  answerTo(need: Need<unknown>, task: string): unknown {
    if (!this.needs.has(need)) throw needMissing(need.name, task);
    return this.needs.get(need);
  }

  noteRun(
    task: TaskDefinition,
    next: ((state: Statuses) => Statuses) | undefined,
    { fact, run, cause, reason }: { fact: FactName; run: RunNote; cause: Cause; reason?: unknown },
  ): Transition | undefined {
    return this.atLiveEnd(() => {
      const slot = this.slot(task.statuses);
      const before = slot.state;
      const after = next ? next(before as Statuses) : before;
      let transition: Transition | undefined;
      if (after !== before) {
        slot.state = after;
        if (DEV) guardData(after, { at: '', what: `The status of '${task.name}'` });
        slot.place.changed(before, after, undefined);
      }
      if (this.recorded) {
        const { store, told } = slot;
        const changed = after === before ? [] : [told ? { store, before, after } : joinedBy(slot, after)];
        slot.told ||= after !== before;
        transition = this.ofFact(fact, changed, cause, { run, ...(reason !== undefined && { reason }) });
        this.tell(transition);
      }
      this.notify();
      return transition;
    });
  }

  // ---- states from elsewhere ----

  reset(stores: readonly StoreDefinition[]): void {
    this.open('reset');
    this.forbidInside('reset');
    if (this.other) this.beginBranch();
    const named = stores.length > 0 ? stores.map((store) => this.slot(store)) : [...this.slots.values()];
    const changed = named
      .filter(({ store }) => !store.internal)
      .map(({ store, state }) => {
        const after = unnoted(() => store.begin());
        guardData(after, { at: '', what: `The initial state of '${store.name}'` });
        return { store, before: state, after: sameData(state, after) ? state : after };
      });
    this.place(changed, 'reset');
  }

  private place(changes: readonly StoreChange[], fact: FactName): void {
    // What is the same now may be another when something is taken back.
    for (const { store, after } of changes) this.logFact(this.slots.get(store.name)!, after);
    const changed = changes.filter(({ before, after }) => before !== after);
    for (const { store, before, after } of changed) {
      const slot = this.slots.get(store.name)!;
      if (this.group && !this.group.before.has(slot)) this.group.before.set(slot, before);
      slot.state = after;
      slot.place.changed(before, after, undefined);
    }
    this.tellFact(fact, changed, 'runtime');
    this.notify();
  }

  private tell(transition: Transition): void {
    this.latest = transition;
    if (this.group) return void this.group.transitions.push(transition);
    // What joins while somebody looks at the past is part of the present, though it is seen.
    const { fact } = transition;
    const unseen = this.other && (this.atTheLiveEnd || fact === 'joined' || fact === 'rehydrated');
    const told = unseen ? { ...transition, unseen: true } : transition;
    for (const listener of this.listeners) listener.transition?.(told);
  }

  // ---- watching ----

  readonly read: Read = <T>(source: Source<T>): T => {
    this.open('read');
    return this.reading.read(source) as T;
  };

  watch(
    source: Source<unknown>,
    listener: (now: never, before: never) => void,
    options?: { readonly now?: boolean },
  ): () => void {
    this.open('watch');
    return this.reading.watch(source, listener, options?.now);
  }

  follow(fn: (read: Read) => void): () => void {
    this.open('follow');
    const stop = this.reading.follow(fn);
    this.notify();
    return stop;
  }

  schedule(informed: Informed): void {
    this.pending.push(informed);
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

  /** Tells those who watch, then does what they dispatched meanwhile, until there is no more. */
  private notify(): void {
    if (this.notifying || this.held > 0 || (this.pending.length === 0 && this.queue.length === 0)) return;
    let rounds: string[] | undefined;
    try {
      for (;;) {
        this.notifying = true;
        this.answering = this.latest;
        while (this.pending.length > 0) {
          const { pending } = this;
          this.pending = [];
          for (const informed of pending) informed.inform();
        }
        const next = this.queue.shift();
        if (!next) break;
        (rounds ??= []).push(next.action.type);
        if (rounds.length > MOST_ROUNDS) {
          this.queue.length = 0;
          throw endlessLoop([...new Set(rounds.slice(-100))]);
        }
        this.notifying = false;
        this.held++;
        try {
          const { action, cause, by } = next;
          if (cause.run !== undefined) {
            const why = by?.stopped?.();
            this.atLiveEnd(() => (why === undefined ? this.decide(action, cause, by) : this.stop(action, cause, why)));
          } else {
            if (this.other) this.beginBranch();
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
      this.answering = undefined;
    }
  }

  // ---- the rest ----

  problem(error: unknown, transition?: Transition, action = transition?.action): void {
    transition?.problems.push(error);
    const report = this.options.onProblem ?? ((problem: Problem) => complain(problem.error));
    try {
      report(action ? { error, action } : { error });
    } catch (second) {
      complain(second);
    }
  }

  addInterceptor(name: string, fn: Interceptor): () => void {
    const added = { name, fn };
    this.interceptors.push(added);
    return () => {
      const index = this.interceptors.indexOf(added);
      if (index >= 0) this.interceptors.splice(index, 1);
    };
  }

  snapshot(only?: readonly StoreDefinition[]): Record<string, unknown> {
    if (!only) return this.statesBy(({ state }) => state);
    return Object.fromEntries(only.map((store) => [store.name, this.slot(store).state]));
  }

  close(): void {
    if (this.ended) return;
    for (const end of this.waiting) end();
    this.waiting.clear();
    this.runs.close();
    this.ended = true;
    this.pending = [];
    this.queue.length = 0;
    this.reading.clear();
    for (const listener of this.listeners) listener.close?.();
  }
}

/** What is dispatched belongs to the runtime from then on. */
function checkAction(action: AnyAction): void {
  if (typeof action !== 'object' || action === null || typeof action.type !== 'string') throw notAnAction(action);
  if (!DEV) return;
  guardData(action.payload, { at: '', what: `The payload of '${action.type}'` });
  Object.freeze(action);
}

/** Runs a change once more: the same state and payload must give the same result. */
function checkPurity(store: string, change: Change, before: unknown, action: AnyAction, first: unknown): void {
  const again = new Editing();
  again.run(before, change, action.payload);
  const [found] = difference(first, again.returned ?? again.next).changes;
  if (found) throw impureChange(action.type, store, found.path);
}

/** The change of a store of which those who record do not know yet. */
const joinedBy = (slot: Slot, after: unknown): StoreChange & { readonly slot: Slot } => ({
  store: slot.store,
  slot,
  before: undefined,
  after,
  joined: true,
});

const isThenable = (value: unknown): value is PromiseLike<unknown> =>
  typeof (value as { then?: unknown } | null | undefined)?.then === 'function';
