// The kernel of a runtime: its stores, the way of an action through them, and what is installed in it.
import { ATTACH, foreign } from '../base/protocol.js';
import type { AnyAction, DispatchResult } from '../model/action.js';
import {
  badName,
  badOption,
  badSnapshot,
  isFrozenError,
  closed,
  notAnInterceptor,
  notATaskCall,
  stateEdited,
  wrongPlace,
} from '../base/errors.js';
import { currentReader, unnoted } from '../reactive/graph.js';
import type { DeclaredTask } from '../model/triggers.js';
import { complain, timer } from '../base/host.js';
import type { Interceptor } from './interceptor.js';
import { DEV } from '../base/mode.js';
import { isContainer, sameData } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { Ground, Reading } from '../reading/reading.js';
import type { KernelOptions, Problem } from './options.js';
import type { Read, Source } from '../model/source.js';
import type { StoreDefinition } from '../model/store.js';
import type { Touches } from '../data/touches.js';
import type { InnerWatching } from '../reactive/watcher.js';
import type { Cell, CellChange } from './cell.js';
import { AfterHooks } from './after-hooks.js';
import { Computing } from './compute.js';
import {
  eachFeature,
  type Applying,
  type Deciding,
  type Extensible,
  type Feature,
  type Hooks,
  type Stated,
} from './feature.js';
import { checkFeature } from './feature-check.js';
import { HandlerTable } from './handlers.js';
import { Joining } from './joining.js';
import { unproxied, untracked, type FrameworkAdapter } from './adapter.js';
import { Notifications } from './notifications.js';
import { becauseOf, Pipeline } from './pipeline.js';
import { savepointOf, transact } from './atomic.js';
import type { Recorder } from './recorder.js';
import type { Transaction } from './transaction.js';
import type { Attachment } from './attachment.js';
import type { Cause, FactName, StoreChange, Transition } from './transition.js';
import { Views, type Due } from './view.js';

const BY_CODE: Cause = { by: 'code' };

export class Kernel implements Extensible, Ground {
  readonly cells = new Map<string, Cell>();
  readonly views = new Views(this);
  readonly computing: Computing;
  readonly notifications = new Notifications(this);
  readonly joining: Joining;
  readonly handlers: HandlerTable;
  readonly interceptors: { readonly name: string; readonly fn: Interceptor }[] = [];
  private readonly pipeline = new Pipeline(this);
  deciding: Deciding | undefined;
  recorder: Recorder | undefined;
  whenRead: (() => Promise<void>) | undefined;
  transaction: Transaction | undefined;
  transactions = 0;
  isClosed = false;
  readonly waiting = new Set<() => void>();
  readonly adapters: FrameworkAdapter[] = [];
  private readonly installed = new Map<Feature, Hooks>();
  private readonly afterHooks = new AfterHooks(this);
  private travel: Pick<Hooks, 'leavePast' | 'isMoving'> | undefined;
  attending: Pick<Hooks, 'committing' | 'stated'> | undefined;
  readonly checks: Required<Pick<Hooks, 'check'>>[] = [];
  private batches = 0;
  private readonly putOff: (() => void)[] = [];
  /** Fulfilled when every listener has done what it does at the end. */
  private closing = Promise.resolve();
  readonly now: () => number;
  readonly random: () => number;
  readonly after: (ms: number, fn: () => void) => () => void;

  constructor(readonly options: KernelOptions) {
    const { initial = {}, clock, random = Math.random, interceptors = [] } = options;
    this.now = typeof clock === 'function' ? clock : clock ? () => clock.now() : Date.now;
    const wait = typeof clock === 'object' ? clock.after.bind(clock) : timer;
    // Nothing called it that could catch what it throws.
    this.after = (ms, fn) =>
      wait(ms, () => {
        try {
          fn();
        } catch (error) {
          this.problem(error);
        }
      });
    this.random = random;
    if (!isContainer(initial) || Array.isArray(initial))
      throw badSnapshot(
        DEV && typeof initial === 'string'
          ? 'it is a text; hand over parseSnapshot(text)'
          : 'it is no object with the states of stores',
      );
    this.computing = new Computing(options.checkPurity);
    this.joining = new Joining(this, this.cells, initial);
    this.handlers = new HandlerTable(this.cells, (store) => this.cell(store));
    for (const fn of interceptors) this.interceptors.push({ name: fn.name, fn });
  }

  // ---- where something may be done ----

  open(what: string): void {
    if (this.isClosed) throw closed(what);
    this.catchUp();
  }

  forbidInside(what: string): void {
    if (this.computing.inside) throw wrongPlace(what, this.computing.inside);
    const reader = currentReader();
    if (reader && !reader.effect) throw wrongPlace(what, `the selector '${reader.name}'`);
  }

  /** Something that changes states and is no dispatch. */
  private begin(what: string): void {
    this.open(what);
    this.forbidInside(what);
  }

  // ---- stores ----

  cell(store: StoreDefinition): Cell {
    return this.joining.cell(store);
  }

  /** On the view that is worked on. */
  stateOf({ index }: Cell): unknown {
    return this.views.current.states[index];
  }

  // ---- actions ----

  dispatch(action: AnyAction, cause?: Cause): DispatchResult {
    return this.pipeline.dispatch(action, cause);
  }

  intercept(action: AnyAction, cause: Cause, by?: Applying): DispatchResult {
    return this.pipeline.intercept(action, cause, by);
  }

  addInterceptor(name: string, fn: Interceptor): () => void {
    this.open('addInterceptor');
    if (typeof name !== 'string' || name === '') throw badName('An interceptor', name);
    if (typeof fn !== 'function') throw notAnInterceptor(name);
    const added = { name, fn };
    this.interceptors.push(added);
    return () => {
      const index = this.interceptors.indexOf(added);
      if (index >= 0) this.interceptors.splice(index, 1);
    };
  }

  /** The cause of a dispatch now: an interceptor besides the action that it decides about, or the application. */
  byDispatcher(): Cause {
    const { deciding } = this;
    if (deciding) return becauseOf(deciding);
    const { of } = this.afterHooks;
    return of ? { by: 'code', of } : BY_CODE;
  }

  /** The cause of a dispatch or a run now: the application, perhaps out of a watcher. */
  byCode(): Cause {
    const of = this.notifications.of ?? this.afterHooks.of;
    return of ? { by: 'code', of } : BY_CODE;
  }

  // ---- commit ----

  commit(changes: readonly CellChange[], touches?: Touches): void {
    const { transaction, recorder } = this;
    const view = this.views.current;
    for (const { cell, after } of changes) {
      transaction?.note(cell, view.states[cell.index]);
      view.known[cell.index] ||= recorder !== undefined;
      view.commit(cell.index, after, touches);
    }
  }

  place(
    changes: readonly StoreChange[],
    fact: FactName,
    more?: Partial<Transition>,
    redo?: (state: unknown) => unknown,
  ): void {
    // A state that is equal now may differ when an optimistic action is reverted.
    const all = changes.map((change) => ({ ...change, cell: this.cells.get(change.store.name)! }));
    for (const { cell, after } of all) this.stated(cell, after, { redo });
    const changed = all.filter(({ before, after }) => before !== after);
    this.commit(changed);
    this.recorder?.fact(fact, changed, { by: 'runtime' }, more);
    this.notify();
  }

  stated(cell: Cell, state: unknown, how: Stated): void {
    const { transaction } = this;
    this.attending?.stated?.(cell, state, transaction?.number, how);
    const changes = [{ cell, before: undefined, after: state }];
    transaction?.applied.push({ action: undefined, changes, transition: undefined });
  }

  reset(stores: readonly StoreDefinition[]): void {
    this.begin('reset');
    if (this.isMoving) return;
    this.leavePast();
    const cells = stores.length > 0 ? stores.map((store) => this.cell(store)) : [...this.cells.values()];
    const changed = cells
      .filter(({ store }) => !store.internal)
      .map((cell) => {
        const { store } = cell;
        const before = this.stateOf(cell);
        const after = unnoted(() => store.begin());
        if (DEV) guardData(after, { at: '', what: `The initial state of '${store.name}'` });
        return { store, before, after: sameData(before, after) ? before : after };
      });
    this.call(() => this.place(changed, 'reset'));
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
    eachFeature(this, (hooks) => hooks.idle?.());
  }

  // ---- batches and transactions ----

  batch<T>(fn: () => T): T {
    this.begin('batch');
    return this.call(() => {
      this.batches++;
      try {
        return this.notifications.hold(fn);
      } finally {
        if (--this.batches === 0) this.catchUp();
        this.notify();
      }
    });
  }

  atomic<T>(fn: () => T): T {
    this.begin('atomic');
    return this.call(() => transact(this, fn));
  }

  later(fn: () => void): void {
    if (this.transaction) return void this.transaction.later.push(fn);
    this.catchUp();
    fn();
  }

  afterBatch(fn: () => void): void {
    if (this.transaction || this.batches === 0) this.later(fn);
    else this.putOff.push(fn);
  }

  catchUp(): void {
    if (this.putOff.length === 0) return;
    for (const fn of this.putOff.splice(0)) {
      try {
        fn();
      } catch (error) {
        this.problem(error);
      }
    }
  }

  // ---- features ----

  get features(): Iterable<Hooks> {
    return this.installed.values();
  }

  use<H extends Hooks>(feature: Feature<H>): H {
    const known = this.installed.get(feature);
    if (known) return known as H;
    const other = foreign(feature);
    if (other) throw other;
    const hooks = feature.install(this);
    if (DEV) checkFeature(feature, hooks, this.installed.keys());
    this.installed.set(feature, hooks);
    if (hooks.after) this.afterHooks.add(feature, hooks as Required<Pick<Hooks, 'after'>>);
    if (hooks.leavePast) this.travel = hooks;
    if (hooks.check) this.checks.push(hooks as Required<Pick<Hooks, 'check'>>);
    return hooks;
  }

  get isMoving(): boolean {
    return this.travel?.isMoving === true;
  }

  /** A transaction in the past begins its branch with its first dispatch. Nothing was done in it before. */
  leavePast(): void {
    if (!this.views.showsPast) return;
    const { transaction } = this;
    this.transaction = undefined;
    try {
      this.travel?.leavePast!();
    } finally {
      this.transaction = transaction;
      for (let one = transaction; one; one = one.outer) one.savepoint = savepointOf(this);
    }
  }

  afterwards(action: AnyAction, transition: Transition | undefined, tasks = this.handlers.to(action).tasks): void {
    if (tasks.length > 0) this.use(tasks[0].feature as Feature);
    if (this.afterHooks.isEmpty) return;
    // The work that begins is the application's: it finds what is shown.
    if (this.transaction) return void this.transaction.after.push({ action, tasks, transition });
    this.views.outside(() => untracked(this.adapters, () => this.afterHooks.run(action, tasks, transition)));
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
    const feature = (call as { readonly task?: DeclaredTask } | null | undefined)?.task?.feature as Feature | undefined;
    if (!feature?.install) throw notATaskCall(call);
    const { adapters } = this;
    if (adapters.length === 0) return this.use(feature).run!(call);
    const plain = { ...(call as object), args: unproxied(adapters, (call as { readonly args: unknown }).args) };
    return untracked(adapters, () => this.use(feature).run!(plain));
  }

  attach<Face>(attachment: Attachment<Face>): Face {
    // In development the options were checked before, with words.
    if (!attachment[ATTACH]) throw foreign(attachment) ?? badOption('createRuntime', 'trace, storage', '');
    return attachment[ATTACH](this);
  }

  // ---- reading and watching ----

  get reading(): Reading {
    return this.views.current.reading;
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

  // ---- problems, and the end ----

  problem(error: unknown, transition?: Transition, action = transition?.action, task?: string): void {
    const explained = DEV && isFrozenError(error) ? stateEdited('code that Floe called', error) : error;
    this.note(explained, transition);
    this.report(explained, action, transition, task);
  }

  /** Notes an error on the transition that it belongs to: the one whose watchers are notified now, where none is given. */
  private note(error: unknown, given?: Transition): void {
    const { isNotifying, of } = this.notifications;
    this.recorder?.note(error, given ?? (isNotifying ? of : undefined));
  }

  report(error: unknown, action: AnyAction | undefined, of?: Pick<Transition, 'step'>, task?: string): void {
    const report =
      this.options.onProblem ??
      ((problem: Problem) =>
        complain(...(problem.task === undefined ? [] : [`The task '${problem.task}' failed:`]), problem.error));
    try {
      const step = of?.step;
      report({
        error,
        ...(action && { action }),
        ...(task !== undefined && { task }),
        ...(step !== undefined && { step }),
      });
    } catch (second) {
      complain(second);
    }
  }

  close(): Promise<void> {
    if (this.isClosed) return this.closing;
    // Whatever throws: the runtime ends, and everything is stored.
    for (const end of this.waiting) {
      try {
        end();
      } catch (error) {
        this.problem(error);
      }
    }
    eachFeature(this, (hooks) => hooks.close?.());
    this.catchUp();
    this.isClosed = true;
    this.due.clear();
    this.notifications.clear();
    this.reading.clear();
    if (this.recorder) this.closing = this.recorder.close();
    return this.closing;
  }
}
