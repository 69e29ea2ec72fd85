// Notifies watchers, then dispatches what they queued meanwhile, until nothing is left.
import type { AnyAction } from '../model/action.js';
import { endlessLoop } from '../base/errors.js';
import { untracked, type FrameworkAdapter } from './adapter.js';
import type { Hooks } from './hooks.js';
import type { Due } from './view.js';
import type { Transition } from './transition.js';

/** A dispatch out of a watcher, and the one whose watchers made it. */
interface DispatchLink {
  readonly type: string;
  readonly after: DispatchLink | undefined;
  readonly depth: number;
}

interface Queued {
  readonly action: AnyAction;
  readonly dispatch: () => void;
  readonly link: DispatchLink;
}

/** A longer chain, in which each dispatch comes out of a watcher of the one before, is taken for an endless loop. */
const MOST_LINKS = 100;

/** As many dispatches queued by watchers of one dispatch are taken for an endless loop. */
const MOST_QUEUED = 100_000;

/** What notifying needs of the kernel. */
interface NotifyingHost {
  readonly views: { readonly current: { readonly due: Due } };
  readonly recorder: { readonly latest: Transition | undefined } | undefined;
  readonly features: { each(tell: (hooks: Pick<Hooks, 'idle'>) => void): void };
  problem(error: unknown, transition?: Transition, action?: AnyAction): void;
}

const idle = (hooks: Pick<Hooks, 'idle'>): void => hooks.idle?.();

export class Notifications {
  /** Of the frameworks whose components show values of this runtime. */
  readonly adapters: FrameworkAdapter[] = [];
  /** Watchers are notified now: what is dispatched is queued. */
  isNotifying = false;
  /** The transition whose watchers are notified: it leads to what they dispatch. */
  of: Transition | undefined;
  /** How many batches, transactions and the like put notifications off. */
  private held = 0;
  private readonly queue: Queued[] = [];
  /** The dispatch whose watchers are notified now, when a watcher made it. */
  private link: DispatchLink | undefined;
  /** How many have been queued since the outermost notification began. */
  private queued = 0;
  /** Calls from outside that are under way. */
  private calls = 0;
  /** What bindings' watchers threw, and endless loops: thrown again at the end of the outermost call. */
  private readonly faults: unknown[] = [];

  constructor(private readonly host: NotifyingHost) {}

  get isHeld(): boolean {
    return this.held > 0;
  }

  /** @param dispatch what is done when its turn comes */
  enqueue(action: AnyAction, dispatch: () => void): 'queued' {
    const after = this.link;
    this.queue.push({ action, dispatch, link: { type: action.type, after, depth: (after?.depth ?? 0) + 1 } });
    return 'queued';
  }

  /** Puts notifications off while `fn` runs. Does not notify afterwards. */
  hold<T>(fn: () => T): T {
    this.held++;
    try {
      return fn();
    } finally {
      this.held--;
    }
  }

  /** What is dispatched while `fn` runs is queued. */
  asWatcher(fn: () => void): void {
    const outer = this.isNotifying;
    this.isNotifying = true;
    try {
      fn();
    } finally {
      this.isNotifying = outer;
    }
  }

  notify(): void {
    const { adapters, host } = this;
    if (this.isNotifying || this.held > 0 || (host.views.current.due.isEmpty && this.queue.length === 0)) return;
    if (adapters.length === 0) this.notifyAll();
    else untracked(adapters, () => this.notifyAll());
  }

  private notifyAll(): void {
    const { host } = this;
    try {
      for (;;) {
        this.isNotifying = true;
        this.of = host.recorder?.latest;
        host.views.current.due.notify();
        const next = this.queue.shift();
        if (!next) break;
        this.link = next.link;
        this.queued++;
        if (this.isEndless(next)) continue;
        this.isNotifying = false;
        this.held++;
        try {
          next.dispatch();
        } catch (error) {
          host.problem(error, undefined, next.action);
        } finally {
          this.held--;
        }
      }
    } finally {
      this.isNotifying = false;
      this.of = this.link = undefined;
      this.queued = 0;
      // Without a caller there is nowhere to throw it.
      if (this.calls === 0 && this.faults.length > 0) for (const error of this.faults.splice(0)) host.problem(error);
      if (this.calls === 0) host.features.each(idle);
    }
  }

  /** Whether a dispatch out of a watcher goes round without end: then that chain stops, and the others go on. */
  private isEndless({ link }: Queued): boolean {
    const isTooMany = this.queued > MOST_QUEUED;
    if (link.depth <= MOST_LINKS && !isTooMany) return false;
    const types = new Set<string>();
    for (let one: DispatchLink | undefined = link; one; one = one.after) types.add(one.type);
    if (isTooMany) {
      for (const { action } of this.queue.splice(0)) types.add(action.type);
      this.queued = 0;
    }
    this.faults.push(endlessLoop([...types].reverse()));
    return true;
  }

  /** A call from outside. At the end of the outermost one, what bindings threw meanwhile is thrown again. */
  call<T>(fn: () => T): T {
    this.begin();
    let failed = true;
    try {
      const result = fn();
      failed = false;
      return result;
    } finally {
      this.end(failed);
    }
  }

  /** A call from outside begins; to be ended by `end`. */
  begin(): void {
    this.calls++;
  }

  /** @param failed the call throws an error of its own */
  end(failed: boolean): void {
    if (--this.calls > 0) return;
    if (!this.isNotifying) this.host.features.each(idle);
    if (this.faults.length > 0) this.raise(failed);
  }

  /** @param failed the call throws an error of its own: the others are reported */
  private raise(failed: boolean): void {
    const [first, ...others] = this.faults.splice(0);
    for (const error of others) this.host.problem(error);
    if (!failed) throw first;
    this.host.problem(first);
  }

  /** A binding's watcher threw. */
  fault(error: unknown): void {
    this.faults.push(error);
  }

  clear(): void {
    this.queue.length = 0;
  }
}
