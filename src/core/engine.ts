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
  editedAndReturned,
  endlessLoop,
  fieldsLost,
  FloeError,
  impureChange,
  invariantBroken,
  nameTaken,
  notAnAction,
  unknownAction,
  wrongPlace,
} from './errors.js';
import { currentReader, unnoted } from './graph.js';
import { complain, stopwatch } from './host.js';
import { decide, type Interceptor } from './interceptor.js';
import { DEV } from './mode.js';
import { guardData, hasOwn, isContainer, put, sameData } from './plain.js';
import { Reading, type Ground, type Informed } from './reading.js';
import type { DispatchResult, Problem, RuntimeOptions } from './runtime.js';
import type { Read, Source } from './source.js';
import { declared, type Change, type StoreDefinition } from './store.js';
import { Place } from './tracking.js';
import {
  ATTACH,
  type Attachment,
  type Cause,
  type FactName,
  type Host,
  type Listener,
  type Outcome,
  type StoreChange,
  type Transition,
} from './transition.js';

/** A store in a runtime. */
interface Slot {
  store: StoreDefinition;
  state: unknown;
  readonly place: Place;
  editing: Editing;
}

interface Answer {
  readonly slot: Slot;
  readonly changes: readonly Change[];
}

interface Queued {
  readonly action: AnyAction;
  readonly cause: Cause;
}

const BY_CODE: Cause = { by: 'code' };

/** As many dispatches out of watchers, one after the other, are taken for an endless loop. */
const MOST_ROUNDS = 1000;

/** What a runtime is made of: the stores with their states, and the one line of transitions. */
export class Engine implements Host, Ground {
  private readonly slots = new Map<string, Slot>();
  private readonly initial: Readonly<Record<string, unknown>>;
  private readonly listeners: Listener[] = [];
  private readonly interceptors: { readonly name: string; readonly fn: Interceptor }[] = [];
  /** By action type: who answers. Made anew when something is declared or a store joins. */
  private readonly answers = new Map<
    string,
    { readonly maker: AnyCreator | undefined; readonly answers: readonly Answer[] }
  >();
  private knownDeclarations = declared;
  private readonly reading = new Reading(this);
  private readonly retired = new Set<StoreDefinition>();
  private pending: Informed[] = [];
  private readonly queue: Queued[] = [];
  private notifying = false;
  private held = 0;
  private inside = '';
  /** The transition whose watchers are told: what they dispatch answers it. */
  private answering: Transition | undefined;
  private latest: Transition | undefined;
  private group:
    { readonly number: number; readonly transitions: Transition[]; readonly before: Map<Slot, unknown> } | undefined;
  private groups = 0;
  private readonly waiting = new Set<() => void>();
  private ended = false;
  readonly now: () => number;

  constructor(private readonly options: RuntimeOptions) {
    this.now = options.clock ?? Date.now;
    const { initial = {} } = options;
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
    const all: Record<string, unknown> = {};
    for (const [name, slot] of this.slots) put(all, name, slot.state);
    return all;
  }

  stores(): readonly StoreDefinition[] {
    return Array.from(this.slots.values(), (slot) => slot.store);
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
      this.slots.set(store.name, { store, state, place: new Place(undefined, ''), editing: new Editing() });
    }
    if (changed.length === 0) return;
    this.answers.clear();
    this.tellFact(fact, changed, 'runtime');
    if (rehydrated.length > 0) this.tellFact('rehydrated', rehydrated, 'storage');
  }

  slot(store: StoreDefinition): Slot {
    const slot = this.slots.get(store.name);
    if (slot && (slot.store === store || this.retired.has(store))) return slot;
    if (this.ended) throw closed('read');
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
      this.queue.push({ action, cause: this.answering ? { by: 'code', of: this.answering } : BY_CODE });
      return 'queued';
    }
    return this.decide(action, BY_CODE);
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
  private decide(action: AnyAction, cause: Cause): DispatchResult {
    if (this.interceptors.length === 0) return this.apply(action, cause);
    return decide({
      action,
      interceptors: this.interceptors.slice(),
      about: makerOf(action)?.about,
      read: this.read,
      apply: (passed) => {
        if (passed !== action) checkAction(passed);
        return this.apply(passed, cause);
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
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    this.tell({ kind: 'fact', fact, cause: { by }, outcome, changed, time: this.now(), took: 0, problems: [] });
  }

  private answersTo(action: AnyAction): readonly Answer[] {
    if (this.knownDeclarations !== declared) {
      this.knownDeclarations = declared;
      this.answers.clear();
    }
    const maker = makerOf(action);
    const known = this.answers.get(action.type);
    if (known && (maker === undefined || known.maker === maker)) return known.answers;
    if (maker?.store) this.slot(maker.store);
    const answers: Answer[] = [];
    for (const slot of this.slots.values()) {
      const changes = [...slot.store.changesFor(action.type)];
      if (changes.length > 0) answers.push({ slot, changes });
    }
    if (answers.length === 0 && !maker) throw unknownAction(action.type, this.knownTypes());
    this.answers.set(action.type, { maker, answers });
    return answers;
  }

  private *knownTypes(): Iterable<string> {
    for (const { store } of this.slots.values()) yield* store.types();
  }

  private apply(action: AnyAction, cause: Cause): 'applied' | 'unchanged' {
    const { type } = action;
    const answers = this.answersTo(action);
    const recorded = this.listeners.length > 0;
    const [only] = answers;
    if (
      answers.length === 1 &&
      !recorded &&
      !this.group &&
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
      for (const { slot, changes } of answers) {
        const { store } = slot;
        const before = slot.state;
        let after = before;
        for (const change of changes) after = this.change(slot, change, after, action, touches);
        if (changes.length > 1 && after !== before && sameData(before, after)) after = before;
        if (after === before) continue;
        if (DEV) guardData(after, { at: '', what: `The state of '${store.name}' after '${type}'` });
        changed.push({ store, slot, before, after });
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
    if (changed.length === 0) {
      if (transition) this.tell(transition);
      return outcome;
    }
    for (const { slot, before, after } of changed) {
      if (this.group && !this.group.before.has(slot)) this.group.before.set(slot, before);
      slot.state = after;
      slot.place.changed(before, after, touches ?? slot.editing);
    }
    for (const error of broken) this.problem(error, transition, action);
    if (transition) this.tell(transition);
    this.notify();
    return outcome;
  }

  /** The short way for the common case: one change of one store, and nobody records it. */
  private applyAlone(slot: Slot, change: Change, action: AnyAction): 'applied' | 'unchanged' {
    const before = slot.state;
    const after = this.change(slot, change, before, action);
    if (after === before) return 'unchanged';
    if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${action.type}'` });
    slot.state = after;
    slot.place.changed(before, after, slot.editing);
    this.notify();
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
    const group = (this.group = {
      number: ++this.groups,
      transitions: [] as Transition[],
      before: new Map<Slot, unknown>(),
    });
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
      return result;
    } catch (error) {
      this.group = undefined;
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
    }
  }

  // ---- states from elsewhere ----

  restore(states: Readonly<Record<string, unknown>>, live: boolean): void {
    for (const [name, slot] of this.slots) {
      if (!hasOwn(states, name)) continue;
      guardData(states[name], { at: '', what: `The restored state of '${name}'` });
      const before = slot.state;
      slot.state = states[name];
      slot.place.changed(before, slot.state, undefined);
    }
    this.latest = undefined;
    for (const listener of this.listeners) listener.travelled?.(live);
    this.notify();
  }

  reset(stores: readonly StoreDefinition[]): void {
    this.open('reset');
    this.forbidInside('reset');
    const changed = (stores.length > 0 ? stores.map((store) => this.slot(store)) : [...this.slots.values()]).map(
      ({ store, state }) => {
        const after = unnoted(() => store.begin());
        guardData(after, { at: '', what: `The initial state of '${store.name}'` });
        return { store, before: state, after: sameData(state, after) ? state : after };
      },
    );
    this.place(changed, 'reset');
  }

  private place(changes: readonly StoreChange[], fact: FactName): void {
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
    if (this.group) this.group.transitions.push(transition);
    else for (const listener of this.listeners) listener.transition?.(transition);
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
          this.decide(next.action, next.cause);
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
    if (!only) return this.states();
    return Object.fromEntries(only.map((store) => [store.name, this.slot(store).state]));
  }

  close(): void {
    if (this.ended) return;
    for (const end of this.waiting) end();
    this.waiting.clear();
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

const isThenable = (value: unknown): value is PromiseLike<unknown> =>
  typeof (value as { then?: unknown } | null | undefined)?.then === 'function';
