// The kernel of a runtime: its stores, the way of an action through them, and what is installed in it.
import { aboutAction, aboutTask } from '../model/about.js';
import type { About, AnyAction } from '../model/action.js';
import {
  asyncInAtomic,
  badSnapshot,
  closed,
  notATaskCall,
  notHandled,
  wrongPlace,
  type FloeError,
} from '../base/errors.js';
import { currentReader, unnoted } from '../reactive/graph.js';
import type { DeclaredTask } from '../model/handled.js';
import { complain, stopwatch, timer } from '../base/host.js';
import type { Interceptor } from './interceptor.js';
import { DEV } from '../base/mode.js';
import { guardData, isContainer, keeping, put, sameData } from '../data/plain.js';
import type { Ground, Reading } from '../reading/reading.js';
import type { DispatchResult } from '../model/action.js';
import type { Problem } from './options.js';
import type { KernelOptions } from './options.js';
import type { Read, Source } from '../model/source.js';
import type { StoreDefinition } from '../model/store.js';
import type { Touches } from '../data/touches.js';
import type { InnerWatching } from '../reactive/watcher.js';
import type { Cell, CellChange } from './cell.js';
import { brokenBy, Computing } from './compute.js';
import type { Applying, Extensible, Feature, Hooks, Rebased, Running } from './feature.js';
import { HandlerTable } from './handlers.js';
import { Joining } from './joining.js';
import { Notifications, type NotifyingHost, type Queued } from './notifications.js';
import { Pipeline } from './pipeline.js';
import type { Inside, Savepoint } from './inside.js';
import { transact } from './atomic.js';
import type { Transaction } from './transaction.js';
import { ATTACH, type Attachment, type Host, type Listener } from './attachment.js';
import {
  NO_CHANGES,
  type Actor,
  type Cause,
  type FactName,
  type Outcome,
  type StoreChange,
  type Transition,
} from './transition.js';
import { Views, type Due } from './view.js';

const BY_CODE: Cause = { by: 'code' };

export class Kernel implements Host, Extensible, Inside, Ground, NotifyingHost {
  readonly cells = new Map<string, Cell>();
  readonly views = new Views(this, this.cells);
  readonly handlers: HandlerTable;
  readonly computing: Computing;
  readonly notifications = new Notifications(this);
  readonly pipeline = new Pipeline(this);
  private readonly joining: Joining;
  /** Replaced at each change: a listener may leave while all are called. */
  listeners: readonly Listener[] = [];
  /** The transaction that is under way, the innermost one. */
  transaction: Transaction | undefined;
  private transactions = 0;
  /** The newest transition. */
  latest: Transition | undefined;
  /** The cursor moves: what watchers do because of that was done when it happened, and is not done again. */
  isMoving = false;
  isClosed = false;
  /** Ends what interceptors hold. */
  readonly waiting = new Set<() => void>();
  private readonly features = new Map<Feature, Hooks>();
  private readonly afterHooks: Required<Pick<Hooks, 'after'>>[] = [];
  /** The feature that has to see every action while something is pending. */
  private attending: Pick<Hooks, 'committing' | 'stated'> | undefined;
  /** What is reported once: stores with a second definition, types of actions that nothing handles. */
  private readonly reported = new Set<string>();
  private timed = { reading: -Infinity, time: 0 };
  /** Fulfilled when every listener has done what it does at the end. */
  private closing: Promise<void> = Promise.resolve();
  readonly stopwatch = stopwatch;
  readonly now: () => number;
  readonly random: () => number;
  readonly after: (ms: number, fn: () => void) => () => void;

  constructor(readonly options: KernelOptions) {
    const { initial = {}, clock, random = Math.random } = options;
    this.now = typeof clock === 'function' ? clock : clock ? () => clock.now() : Date.now;
    this.after = typeof clock === 'object' ? (ms, fn) => clock.after(ms, fn) : timer;
    this.random = random;
    this.handlers = new HandlerTable(this.cells, (store) => this.cell(store));
    this.computing = new Computing(options.checkPurity);
    if (!isContainer(initial) || Array.isArray(initial))
      throw badSnapshot(
        typeof initial === 'string'
          ? 'it is a text; hand over parseSnapshot(text)'
          : 'it is not an object with the states of stores',
      );
    this.joining = new Joining(this, initial);
    for (const fn of options.interceptors ?? []) this.pipeline.interceptors.push({ name: fn.name, fn });
  }

  // ---- stores ----

  cell(store: StoreDefinition): Cell {
    return this.joining.cell(store);
  }

  join(stores: readonly StoreDefinition[], fact: FactName): void {
    this.joining.join(stores, fact);
  }

  renew(store: StoreDefinition): void {
    this.joining.renew(store);
  }

  successorOf(store: StoreDefinition): StoreDefinition | undefined {
    return this.joining.successorOf(store);
  }

  stores(): readonly StoreDefinition[] {
    return Array.from(this.cells.values(), ({ store }) => store).filter((store) => !store.internal);
  }

  /** On the view that is worked on. */
  stateOf({ index }: Cell): unknown {
    return this.views.current.states[index];
  }

  states(): Record<string, unknown> {
    const confirmed = this.answer((hooks) => hooks.confirmed?.());
    return this.statesBy((cell) => (confirmed?.has(cell) ? confirmed.get(cell) : this.views.live.states[cell.index]));
  }

  shown(): Record<string, unknown> {
    return this.statesBy((cell) => this.stateOf(cell));
  }

  private statesBy(stateOf: (cell: Cell) => unknown): Record<string, unknown> {
    const all: Record<string, unknown> = {};
    for (const [name, cell] of this.cells) if (!cell.store.internal) put(all, name, stateOf(cell));
    return all;
  }

  snapshot(only?: readonly StoreDefinition[]): Record<string, unknown> {
    if (!only) return this.shown();
    return Object.fromEntries(only.map((store) => [store.name, this.stateOf(this.cell(store))]));
  }

  // ---- dispatch ----

  dispatch(action: AnyAction, by?: Cause): DispatchResult {
    return this.pipeline.dispatch(action, by);
  }

  send(action: AnyAction, by: Actor): DispatchResult {
    return this.dispatch(action, { by });
  }

  dispatchQueued({ action, cause, by }: Queued): void {
    if (cause.run === undefined) {
      this.leavePast();
      this.pipeline.intercept(action, cause);
      return;
    }
    const why = by?.stopped?.();
    this.atLive(() => (why === undefined ? this.pipeline.intercept(action, cause, by) : this.stop(action, cause, why)));
  }

  dispatchLive(action: AnyAction, cause: Cause, by: Applying): DispatchResult {
    const why = this.isClosed ? 'its run is over: closed' : by.stopped?.();
    if (why !== undefined) return this.atLive(() => this.stop(action, cause, why));
    this.forbidInside('dispatch');
    if (this.notifications.isNotifying) return this.notifications.enqueue(action, cause, by);
    return this.call(() => this.atLive(() => this.pipeline.intercept(action, cause, by)));
  }

  compute(
    action: AnyAction,
    stateOf: (cell: Cell) => unknown,
    leftOut?: ReadonlySet<Cell>,
  ): ReadonlyMap<Cell, unknown> {
    const changed = new Map<Cell, unknown>();
    for (const { cell, changes } of this.handlers.to(action).stores) {
      if (leftOut?.has(cell)) continue;
      const before = stateOf(cell);
      const after = this.computing.all(cell, changes, before, action);
      if (after !== before) changed.set(cell, after);
    }
    return changed;
  }

  /** Nothing but the store of an action has to see it before it is committed. */
  get isPlain(): boolean {
    return this.transaction === undefined && this.attending === undefined;
  }

  get invariants(): 'report' | 'refuse' {
    return this.options.invariants ?? 'report';
  }

  committing(
    action: AnyAction,
    changes: readonly CellChange[],
    transition: Transition | undefined,
    by: Applying | undefined,
  ): void {
    const attending = by?.optimistic ? this.use(by.feature!) : this.attending;
    attending?.committing?.(action, changes, this.transaction?.number, transition, by);
  }

  /** A state that no action computes is about to be the state of a store. */
  stated(cell: Cell, state: unknown): void {
    this.attending?.stated?.(cell, state, this.transaction?.number);
  }

  /** Makes states the present ones of the view that is worked on. */
  commit(changes: readonly CellChange[], touches?: Touches): void {
    const { transaction, recorded } = this;
    const view = this.views.current;
    for (const { cell, after } of changes) {
      transaction?.note(cell, view.states[cell.index]);
      view.known[cell.index] ||= recorded;
      view.commit(cell.index, after, touches);
    }
  }

  // ---- what is recorded ----

  get recorded(): boolean {
    return this.listeners.length > 0;
  }

  transitionOf(
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
    const group = this.transaction?.number;
    return { kind: 'action', action, cause, outcome, changed, touches, time, took, reason, group, step: undefined };
  }

  /** The time at a reading of the stopwatch; the host's clock is asked once a millisecond, which is as fine as it goes. */
  private timeOf(reading: number): number {
    const since = reading - this.timed.reading;
    if (since >= 1 || since < 0) this.timed = { reading, time: this.now() };
    return this.timed.time;
  }

  ofFact(fact: FactName, changed: readonly StoreChange[], cause: Cause, more?: Partial<Transition>): Transition {
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    return { kind: 'fact', fact, cause, outcome, changed, time: this.now(), took: 0, ...more };
  }

  /** Records an action that changed nothing. */
  recordUnchanged(action: AnyAction, cause: Cause, outcome: Outcome, reason?: unknown, took = 0): void {
    if (this.recorded)
      this.atLive(() => this.record(this.transitionOf(action, cause, outcome, took, NO_CHANGES, undefined, reason)));
  }

  /** An interceptor decides later. */
  recordWaiting(action: AnyAction, cause: Cause, end: () => void): void {
    if (this.transaction) throw asyncInAtomic('an interceptor that decides later');
    this.waiting.add(end);
    this.recordUnchanged(action, cause, 'waiting');
  }

  stop(action: AnyAction, cause: Cause, reason: string): 'stopped' {
    this.recordUnchanged(action, cause, 'stopped', reason);
    return 'stopped';
  }

  record(transition: Transition): void {
    const { fact } = transition;
    // What an attachment takes in while it closes is there for what is still to be stored, and no step.
    if (this.isClosed && (fact === 'rehydrated' || fact === 'fromTab')) return;
    this.latest = transition;
    const { deciding } = this.pipeline;
    if (deciding !== undefined && deciding.action === transition.action) deciding.of = transition;
    if (this.transaction) return void this.transaction.transitions.push(transition);
    // A store that joins during time travel is part of the live state, though it is shown.
    if (this.views.isUnseen || (this.views.showsPast && (fact === 'joined' || fact === 'rehydrated')))
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

  attach<Face>(attachment: Attachment<Face>): Face {
    const { face, listener } = attachment[ATTACH](this);
    this.listen(listener);
    return face;
  }

  listen(listener: Listener): () => void {
    this.listeners = [...this.listeners, listener];
    return () => {
      this.listeners = this.listeners.filter((one) => one !== listener);
    };
  }

  /** Calls every listener. An error of one listener is reported, and the others are still called. */
  eachListener(tell: (listener: Listener) => void): void {
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

  // ---- notifications ----

  get due(): Due {
    return this.views.current.due;
  }

  notify(): void {
    this.notifications.notify();
  }

  call<T>(fn: () => T): T {
    return this.notifications.call(fn);
  }

  asWatcher(fn: () => void): void {
    this.notifications.asWatcher(fn);
  }

  thrown(error: unknown): void {
    this.note(error);
    this.notifications.fault(error);
  }

  idle(): void {
    for (const hooks of this.features.values()) hooks.idle?.();
  }

  /** The cause of a dispatch now: an interceptor besides the action that it decides about, or the application. */
  byDispatcher(): Cause {
    const { deciding } = this.pipeline;
    if (!deciding) return BY_CODE;
    return deciding.of ? { by: 'interceptor', of: deciding.of } : { by: 'interceptor' };
  }

  /** The cause of a dispatch or a run now: the application, perhaps out of a watcher. */
  byCode(): Cause {
    const { of } = this.notifications;
    return of ? { by: 'code', of } : BY_CODE;
  }

  beginWork(): Cause {
    if (!this.notifications.isNotifying) this.leavePast();
    return this.pipeline.deciding ? this.byDispatcher() : this.byCode();
  }

  open(what: string): void {
    if (this.isClosed) throw closed(what);
  }

  forbidInside(what: string): void {
    if (this.computing.inside) throw wrongPlace(what, this.computing.inside);
    const reader = currentReader();
    if (reader && !reader.effect) throw wrongPlace(what, `the selector '${reader.name}'`);
  }

  // ---- batches and transactions ----

  batch<T>(fn: () => T): T {
    this.open('batch');
    this.forbidInside('batch');
    return this.call(() => {
      try {
        return this.notifications.hold(fn);
      } finally {
        this.notify();
      }
    });
  }

  atomic<T>(fn: () => T): T {
    this.open('atomic');
    this.forbidInside('atomic');
    return this.call(() => transact(this, fn));
  }

  nextTransaction(): number {
    return ++this.transactions;
  }

  get isInTransaction(): boolean {
    return this.transaction !== undefined;
  }

  later(fn: () => void): void {
    if (this.transaction) this.transaction.later.push(fn);
    else fn();
  }

  savepoint(): Savepoint {
    return new Map(Array.from(this.features.values(), (hooks) => [hooks, hooks.savepoint?.()]));
  }

  rollBack(savepoint: Savepoint): void {
    for (const hooks of this.features.values()) hooks.rollBack?.(savepoint.get(hooks));
  }

  // ---- features ----

  use<H extends Hooks>(feature: Feature<H>): H {
    const known = this.features.get(feature);
    if (known) return known as H;
    const hooks = feature.install(this);
    this.features.set(feature, hooks);
    if (hooks.after) this.afterHooks.push(hooks as Required<Pick<Hooks, 'after'>>);
    return hooks;
  }

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

  get oldestOpen(): Transition | undefined {
    return this.answer((hooks) => hooks.pinned?.());
  }

  get uncertain(): boolean {
    return this.attending !== undefined;
  }

  /** The last stage: work that an action starts. */
  afterwards(action: AnyAction, transition: Transition | undefined, tasks = this.handlers.to(action).tasks): void {
    if (tasks.length > 0) this.use(tasks[0].feature as Feature);
    if (this.afterHooks.length === 0) return;
    // The work that begins is the application's: it finds what is shown.
    const after = (): void =>
      this.views.outside(() => {
        for (const hooks of this.afterHooks) hooks.after(action, tasks, transition);
      });
    if (this.transaction) this.transaction.after.push(after);
    else after();
  }

  /** Development only: says once that an action does nothing. */
  noteNotHandled(type: string): void {
    for (const hooks of this.features.values()) if (hooks.awaits?.(type)) return;
    this.reportOnce(`action ${type}`, () => notHandled(type));
  }

  reportOnce(what: string, error: () => FloeError): void {
    if (this.reported.has(what)) return;
    this.reported.add(what);
    this.problem(error());
  }

  /** Tasks that begin by themselves: not inside a selector that was the first to read their store. */
  startTasks(tasks: readonly DeclaredTask[]): void {
    if (tasks.length === 0) return;
    const start = (): void => this.use(tasks[0].feature as Feature).begin?.(tasks);
    if (this.computing.inside || currentReader()) void Promise.resolve().then(start);
    else start();
  }

  /** Runs what a call says, by the feature that the call names. */
  run(call: unknown): unknown {
    const task = (call as { readonly task?: DeclaredTask } | null | undefined)?.task;
    if (typeof (task?.feature as Partial<Feature> | undefined)?.install !== 'function') throw notATaskCall(call);
    return this.use(task!.feature as Feature).run!(call);
  }

  about(kind: 'action' | 'task', name: string): About | undefined {
    const stores = this.stores();
    if (kind === 'action') return aboutAction(name, stores);
    const known = Array.from(this.features.values(), ({ tasks = [] }) => [...tasks]).flat();
    return aboutTask(name, stores, known);
  }

  // ---- facts ----

  /** Records a fact that changed a store which is internal to a feature, and notifies. */
  noteFact(
    fact: FactName,
    changed: CellChange | undefined,
    cause: Cause,
    more: Partial<Transition>,
  ): Transition | undefined {
    const changes = changed ? [changed] : [];
    this.commit(changes);
    const transition = this.recorded ? this.ofFact(fact, changes, cause, more) : undefined;
    if (transition) this.record(transition);
    this.notify();
    return transition;
  }

  show(
    { states, problems }: Rebased,
    fact: FactName,
    cause: Cause,
    more: Partial<Transition> = {},
    type = fact as string,
  ): Transition | undefined {
    const view = this.views.current;
    const changes: CellChange[] = [];
    for (const [cell, state] of states) {
      const before = view.states[cell.index];
      // What stays the same stays the same object.
      const after = keeping(before, state);
      if (after !== before) changes.push(view.change(cell, after));
    }
    const found = [...problems(type), ...brokenBy(changes, more.action?.type ?? type)];
    const transition = this.recorded ? this.ofFact(fact, changes, cause, more) : undefined;
    if (DEV)
      for (const { store, after } of changes)
        guardData(after, { at: '', what: `The state of '${store.name}' after '${type}'` });
    this.commit(changes);
    for (const problem of found) this.problem(problem, transition);
    if (transition) this.record(transition);
    return transition;
  }

  reset(stores: readonly StoreDefinition[]): void {
    this.open('reset');
    this.forbidInside('reset');
    if (this.isMoving) return;
    this.leavePast();
    const named = stores.length > 0 ? stores.map((store) => this.cell(store)) : [...this.cells.values()];
    const changed = named
      .filter(({ store }) => !store.internal)
      .map((cell) => {
        const { store } = cell;
        const before = this.stateOf(cell);
        const after = unnoted(() => store.begin());
        guardData(after, { at: '', what: `The initial state of '${store.name}'` });
        return { store, before, after: sameData(before, after) ? before : after };
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
          const states = new Map(changes.map(({ store, after }) => [this.cells.get(store.name)!, after]));
          const rebased = this.answer((hooks) => hooks.rebase?.(states)) ?? { states, problems: () => [] };
          this.show(rebased, fact, more!.cause!);
          this.notify();
        }),
      );
      return true;
    }
    if (this.isMoving) return false;
    this.leavePast();
    this.place(changes, fact, more);
    return true;
  }

  place(changes: readonly StoreChange[], fact: FactName, more?: Partial<Transition>): void {
    // A state that is equal now may differ when an optimistic action is reverted.
    const all = changes.map((change) => ({ ...change, cell: this.cells.get(change.store.name)! }));
    for (const { cell, after } of all) this.stated(cell, after);
    const changed = all.filter(({ before, after }) => before !== after);
    this.commit(changed);
    this.record(this.ofFact(fact, changed, { by: 'runtime' }, more));
    this.notify();
  }

  // ---- views ----

  addCell(store: StoreDefinition, state: unknown): Cell {
    return this.joining.add(store, state, true);
  }

  /** The screen shows other states: notifies of that, and of nothing that watchers do because of it. */
  move(isLive: boolean): void {
    this.latest = undefined;
    this.isMoving = true;
    try {
      this.eachListener((listener) => listener.travelled?.(isLive));
      this.notify();
    } finally {
      this.isMoving = false;
    }
  }

  forbidHeld(what: string): void {
    if (this.notifications.isHeld && !this.notifications.isNotifying)
      throw wrongPlace(what, this.transaction ? 'atomic' : 'batch');
  }

  atLive<T>(fn: () => T): T {
    return this.views.atLive(fn);
  }

  readLive<T>(source: Source<T>): T {
    return this.atLive(() => this.reading.read(source) as T);
  }

  /** The application does something: where the past is shown, a branch begins there. */
  leavePast(): void {
    if (!this.views.showsPast || this.isMoving) return;
    this.leave((transition) => this.isShown(transition), 'branch');
    this.views.join();
    this.lineChanged();
    for (const hooks of this.features.values()) hooks.arrived?.('branch', []);
  }

  lineChanged(): void {
    for (const hooks of this.features.values()) hooks.lineChanged?.();
  }

  running(statuses: string): Running | undefined {
    return this.answer((hooks) => hooks.running?.(statuses));
  }

  isShown(transition: Transition | undefined): boolean {
    return transition !== undefined && this.listeners.every((listener) => listener.isShown?.(transition) ?? true);
  }

  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void {
    for (const hooks of this.features.values()) hooks.leave?.(stays, reason);
  }

  // ---- watching ----

  get reading(): Reading {
    return this.views.current.reading;
  }

  /** What the watchers of the application read, for bindings. */
  get screen(): Reading {
    return this.reading;
  }

  readonly read: Read = <T>(source: Source<T>): T => {
    this.open('read');
    return this.reading.read(source) as T;
  };

  watch(source: Source<unknown>, listener: (now: never, before: never) => void, how?: InnerWatching): () => void {
    this.open('watch');
    return this.reading.watch(source, listener, how);
  }

  follow(fn: (read: Read) => void): () => void {
    this.open('follow');
    const stop = this.reading.follow(fn);
    this.notify();
    return stop;
  }

  // ---- the rest ----

  problem(error: unknown, transition?: Transition, action = transition?.action): void {
    this.note(error, transition);
    this.report(error, action);
  }

  /** Notes an error on the transition that it belongs to: the one whose watchers are notified now, where none is given. */
  private note(error: unknown, given?: Transition): void {
    const { isNotifying, of } = this.notifications;
    const transition = given ?? (isNotifying ? of : undefined);
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
    const { interceptors } = this.pipeline;
    const added = { name, fn };
    interceptors.push(added);
    return () => {
      const index = interceptors.indexOf(added);
      if (index >= 0) interceptors.splice(index, 1);
    };
  }

  close(): Promise<void> {
    if (this.isClosed) return this.closing;
    for (const end of this.waiting) end();
    this.waiting.clear();
    for (const hooks of this.features.values()) hooks.close?.();
    this.isClosed = true;
    this.due.clear();
    this.notifications.clear();
    this.reading.clear();
    const closing: PromiseLike<void>[] = [];
    this.eachListener((listener) => {
      const done = listener.close?.();
      if (done) closing.push(done);
    });
    if (closing.length > 0) this.closing = Promise.all(closing).then(() => undefined);
    return this.closing;
  }
}
