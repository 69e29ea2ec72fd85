// What runs of tasks were given. The work of a run is a function of it: where two runs of one task were given the same, they go on in
// the same way, whatever else is pending.
import type { DeclaredTask, TaskRun } from '../../core/internal.js';
import {
  definitionOf,
  isKeyed,
  isContainer,
  isThenable,
  messageOf,
  StoreDefinition,
  typesOf,
} from '../../core/internal.js';
import type { AnyAction, AnyCreator, AnyStore, Need, Read, TaskCall, TaskContext } from '../../core/index.js';
import { searchLoop } from '../errors.js';
import { mixed, hashOfText, type DataHashes } from './data-hashes.js';
import { touched, type Footprint } from './footprint.js';
import type { HeldClock } from './held-clock.js';

/** A run, and what it was given. */
export interface ObservedRun {
  readonly run: TaskRun;
  readonly parent: ObservedRun | undefined;
  /** Two numbers of 32 bits that stand for all that it was given, in that order. */
  a: number;
  b: number;
  /** Calls of needs that it made so far. */
  calls: number;
  /** Of those, how many have no response. */
  pending: number;
}

/** What observing needs of the story that is played. */
export interface StoryHost {
  readonly hashes: DataHashes;
  readonly clock: HeldClock;
  footprint: Footprint;
  /** What a call of `use` gives. */
  serve(run: ObservedRun, given: () => unknown): unknown;
  /** A dispatch of a run. */
  dispatching(action: AnyAction): void;
  /** A run of a task is to begin. */
  starting(task: DeclaredTask): void;
  /** A change threw. */
  threw(error: unknown): void;
}

/** So many calls of a context without a pause are taken for an endless loop. */
const MOST_CALLS = 10_000;

const names = ['dispatched', 'read', 'optimistic', 'slept', 'got', 'now', 'random', 'ended', 'response'] as const;
const KIND = Object.fromEntries(names.map((name) => [name, hashOfText(name)])) as Record<
  (typeof names)[number],
  number
>;

export class ObservedRuns {
  readonly all = new Map<number, ObservedRun>();
  /** The first task that went round without a pause. */
  looping: string | undefined;
  private calls = 0;

  constructor(private readonly host: StoryHost) {}

  /** Everything is quiet: counting begins again. */
  paused(): void {
    this.calls = 0;
  }

  of(run: TaskRun): ObservedRun {
    let known = this.all.get(run.id);
    if (!known) {
      const parent = run.parent && this.of(run.parent);
      const { hashes } = this.host;
      const begun = mixed(hashOfText(run.task.name), hashes.of(run.args));
      known = { run, parent, a: begun, b: ~begun, calls: 0, pending: 0 };
      this.all.set(run.id, known);
    }
    this.host.footprint.writes.add(touched.run(run.id));
    return known;
  }

  /** A name that two runs share that were given the same, and were run by such. */
  nameOf({ run, parent, a, b }: ObservedRun): string {
    const own = `${a.toString(36)}.${b.toString(36)}.${run.attempt}${run.ended ? '!' : ''}`;
    return parent ? `${own}<${this.nameOf(parent)}` : own;
  }

  give(to: ObservedRun, what: keyof typeof KIND, value: unknown): void {
    const hash = mixed(KIND[what], this.hashOf(value));
    to.a = mixed(to.a, hash);
    to.b = (Math.imul(to.b, 31) + hash) | 0;
    this.host.footprint.writes.add(touched.run(to.run.id));
  }

  /** Values of selectors may be rows of a view, or anything else that state cannot be. */
  private hashOf(value: unknown): number {
    const { hashes } = this.host;
    if (typeof value !== 'object' || value === null || isContainer(value) || isKeyed(value)) return hashes.of(value);
    if (value instanceof Error) return hashOfText(messageOf(value));
    try {
      if (Symbol.iterator in value && !(value instanceof Map || value instanceof Set))
        return hashes.of(Array.from(value as Iterable<unknown>));
      return hashes.of(value);
    } catch {
      return 0;
    }
  }

  private count(run: ObservedRun): void {
    if (++this.calls <= MOST_CALLS) return;
    this.looping ??= run.run.task.name;
    throw searchLoop(run.run.task.name);
  }

  /** The work of a run, observed: what becomes of it is given to the run that called it. */
  work<T>(id: number, work: () => T): T {
    const child = this.all.get(id);
    const { parent, run } = child ?? {};
    if (!parent || !run) return work();
    const ended = (how: string, value: unknown): void => {
      const mayRetry = how === 'failed' && run.attempt <= (run.task.options.retry?.times ?? 0);
      if (!mayRetry) this.give(parent, 'ended', [this.nameOf(child!), how, this.hashOf(value)]);
    };
    try {
      const result = work();
      if (isThenable(result))
        result.then(
          (value) => ended('done', value),
          (error: unknown) => ended('failed', error),
        );
      else ended('done', result);
      return result;
    } catch (error) {
      ended('failed', error);
      throw error;
    }
  }

  /** What a run works with, observed. */
  context(run: TaskRun, context: TaskContext): TaskContext {
    const observed = this.of(run);
    const now = this.counted(observed, () => {
      this.host.clock.isRead = true;
      return this.given(observed, 'now', context.now());
    });
    const random = this.counted(observed, () => {
      this.host.footprint.writes.add(touched.random);
      return this.given(observed, 'random', context.random());
    });
    return {
      ...this.acts(observed, context),
      ...this.waits(observed, context),
      ...{ atomic: context.atomic, now, random },
      get signal() {
        return context.signal;
      },
    };
  }

  private acts(
    observed: ObservedRun,
    context: TaskContext,
  ): Pick<TaskContext, 'dispatch' | 'optimistic' | 'read' | 'run' | 'use'> {
    const { host } = this;
    const acting = <R>(
      what: 'dispatched' | 'optimistic',
      action: AnyAction,
      act: () => R,
      resultOf: (done: R) => unknown,
    ): R => {
      host.dispatching(action);
      try {
        const done = act();
        this.give(observed, what, resultOf(done));
        return done;
      } catch (error) {
        this.give(observed, what, error);
        host.threw(error);
        throw error;
      }
    };
    const dispatch: TaskContext['dispatch'] = (action) =>
      acting(
        'dispatched',
        action,
        () => context.dispatch(action),
        (result) => result,
      );
    const optimistic: TaskContext['optimistic'] = (action) =>
      acting(
        'optimistic',
        action,
        () => context.optimistic(action),
        ({ result }) => result,
      );
    const read = (source: never): unknown => {
      this.reads(source);
      return this.given(observed, 'read', context.read(source));
    };
    const use = (need: Need<unknown>): unknown => host.serve(observed, () => context.use(need));
    return {
      dispatch: this.counted(observed, dispatch),
      optimistic: this.counted(observed, optimistic),
      read: this.counted(observed, read) as Read,
      run: <T>(call: TaskCall<T>) => {
        this.count(observed);
        host.starting(call.task);
        return context.run(call);
      },
      use: this.counted(observed, use) as TaskContext['use'],
    };
  }

  private waits(observed: ObservedRun, context: TaskContext): Pick<TaskContext, 'sleep' | 'next' | 'each'> {
    const { host } = this;
    const asking = (actions: AnyCreator | readonly AnyCreator[]): AnyCreator => {
      for (const type of typesOf(actions)) host.footprint.reads.add(touched.type(type));
      return actions as AnyCreator;
    };
    const sleep = (ms: number): Promise<void> => {
      host.clock.sleeper = observed.run.id;
      try {
        return this.later(observed, context.sleep(ms), 'slept');
      } finally {
        host.clock.sleeper = undefined;
      }
    };
    const each = (actions: AnyCreator): AsyncIterableIterator<AnyAction> => {
      const all = context.each(asking(actions)) as AsyncIterableIterator<AnyAction>;
      const next = this.counted(observed, all.next.bind(all));
      return Object.assign(all, { next: () => this.later(observed, next(), 'got') });
    };
    const next = (actions: AnyCreator): Promise<AnyAction> =>
      this.later(observed, context.next(asking(actions)), 'got');
    return {
      sleep: this.counted(observed, sleep),
      next: this.counted(observed, next) as TaskContext['next'],
      each: this.counted(observed, each) as TaskContext['each'],
    };
  }

  private counted<A extends readonly unknown[], R>(run: ObservedRun, fn: (...args: A) => R): (...args: A) => R {
    return (...args) => {
      this.count(run);
      return fn(...args);
    };
  }

  private given<R>(run: ObservedRun, what: keyof typeof KIND, value: R): R {
    this.give(run, what, value);
    return value;
  }

  /** What it waited for and did not get it learns by its end. */
  private later<P extends Promise<unknown>>(run: ObservedRun, promise: P, what: 'slept' | 'got'): P {
    promise.then(
      (value) => this.give(run, what, value),
      () => undefined,
    );
    return promise;
  }

  private reads(source: AnyStore | ((...args: never) => unknown)): void {
    const { footprint } = this.host;
    const definition: unknown = typeof source === 'function' ? undefined : definitionOf(source);
    if (definition instanceof StoreDefinition) footprint.reads.add(touched.store(definition.name));
    else footprint.readsAll = true;
  }
}
