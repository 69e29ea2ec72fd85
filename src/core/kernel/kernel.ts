// The kernel of a runtime: its stores, the way of an action through them, and what is installed in it.
import { badSnapshot, closed, isFrozenError, stateEdited, wrongPlace } from '../base/errors.js';
import { timer } from '../base/host.js';
import { DEV } from '../base/mode.js';
import { isContainer } from '../data/plain.js';
import type { Read, Source } from '../model/source.js';
import { currentReader } from '../reactive/graph.js';
import type { Cell } from './cell.js';
import { Computing } from './compute.js';
import type { Extensible } from './feature.js';
import { Features } from './features.js';
import { HandlerTable } from './handlers.js';
import { Interception } from './interceptor.js';
import { Joining } from './joining.js';
import { Notifications } from './notifications.js';
import type { KernelOptions } from './options.js';
import { Pipeline } from './pipeline.js';
import { report } from './problems.js';
import type { Recorder } from './recorder.js';
import { renewedSelector } from './reload.js';
import { Transactions } from './transactions.js';
import type { Transition } from './transition.js';
import { Views } from './view.js';

export class Kernel implements Extensible {
  readonly cells = new Map<string, Cell>();
  readonly views: Views;
  readonly computing: Computing;
  readonly notifications: Notifications;
  readonly transactions: Transactions;
  readonly features: Features<Extensible>;
  readonly joining: Joining;
  readonly handlers: HandlerTable;
  readonly interceptors: Interception;
  recorder: Recorder | undefined;
  whenRead: (() => Promise<void>) | undefined;
  isClosed = false;
  /** Fulfilled when every listener has done what it does at the end. */
  private closing = Promise.resolve();
  readonly now: () => number;
  readonly random: () => number;
  readonly after: (ms: number, fn: () => void) => () => void;
  readonly later: (fn: () => void) => void;
  readonly dispatch: Extensible['dispatch'];
  readonly intercept: Extensible['intercept'];

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
    const cellOf: Joining['cell'] = (store) => this.joining.cell(store);
    this.views = new Views({
      cell: cellOf,
      asWatcher: (fn) => this.notifications.asWatcher(fn),
      ...(DEV && { renewed: (of) => renewedSelector(this, of) }),
      problem: (error) => this.problem(error),
      thrown: (error) => {
        noteProblem(this, error);
        this.notifications.fault(error);
      },
    });
    this.computing = new Computing(options.checkPurity);
    this.notifications = new Notifications(this);
    this.features = new Features<Extensible>(this);
    this.transactions = new Transactions(this);
    this.joining = new Joining(this, this.cells, initial);
    this.handlers = new HandlerTable(this.cells, cellOf);
    this.interceptors = new Interception(interceptors);
    this.later = this.transactions.later;
    ({ dispatch: this.dispatch, intercept: this.intercept } = new Pipeline(this));
  }

  open(what: string): void {
    if (this.isClosed) throw closed(what);
    this.transactions.catchUp();
  }

  forbidInside(what: string): void {
    if (this.computing.inside) throw wrongPlace(what, this.computing.inside);
    const reader = currentReader();
    if (reader && !reader.effect) throw wrongPlace(what, `the selector '${reader.name}'`);
  }

  readonly read: Read = <T>(source: Source<T>): T => {
    this.open('read');
    return this.views.current.reading.read(source) as T;
  };

  problem(error: unknown, transition?: Transition, action = transition?.action, task?: string): void {
    const explained = DEV && isFrozenError(error) ? stateEdited('code that Floe called', error) : error;
    noteProblem(this, explained, transition);
    report(this.options, explained, { action, task, step: transition?.step });
  }

  close(): Promise<void> {
    if (this.isClosed) return this.closing;
    // Whatever throws: the runtime ends, and everything is stored.
    for (const end of this.interceptors.waiting) {
      try {
        end();
      } catch (error) {
        this.problem(error);
      }
    }
    this.features.each((hooks) => hooks.close?.());
    this.transactions.catchUp();
    this.isClosed = true;
    const { due, reading } = this.views.current;
    due.clear();
    this.notifications.clear();
    reading.clear();
    if (this.recorder) this.closing = this.recorder.close();
    return this.closing;
  }
}

/** Notes an error on the transition that it belongs to: the one whose watchers are notified now, where none is given. */
function noteProblem({ recorder, notifications }: Kernel, error: unknown, given?: Transition): void {
  const { isNotifying, of } = notifications;
  recorder?.note(error, given ?? (isNotifying ? of : undefined));
}
