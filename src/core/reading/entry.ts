// Derived values: one for each source that was asked for, and the functions that follow what they read.
import { freezeResult } from '../data/guard.js';
import { DEV } from '../base/mode.js';
import { describeArguments, NO_BARE, type Derivation, type Read, type ReadPart, type Recipe } from '../model/source.js';
import { StoreDefinition } from '../model/store.js';
import { DIRTY, Reader, unnoted } from '../reactive/graph.js';
import { withoutProxies, type TrackedPlace } from '../reactive/tracking.js';
import { Watcher, type ErrorSink, type InnerWatching } from '../reactive/watcher.js';

/** What reading needs of the runtime. */
export interface Ground extends ErrorSink {
  /** Where the state of a store stands; the store joins when it has not. */
  cell(store: StoreDefinition): { readonly index: number };
  /** What is dispatched while `fn` runs comes after it. */
  asWatcher(fn: () => void): void;
  /** Development only: what a reloaded module declares in the place of a selector. */
  renewed?(of: Derivation): Derivation;
}

/** The states that are read. */
export interface Viewed {
  /** By the index of a cell, as the places are. */
  readonly states: readonly unknown[];
  readonly places: readonly TrackedPlace[];
  /** What is informed at the next notification. */
  readonly due: { add(informed: Informed): void; addInvalidated(one: Invalidated): void };
}

/** Told when what it reads may have changed. */
export interface Informed {
  inform(): void;
}

/** Told of the same, before anything is informed. */
export interface Invalidated {
  invalidate(): void;
}

/** What derived values need of the reading that they belong to. */
export interface EntryHost {
  readonly ground: Ground;
  readonly viewed: Viewed;
  /** Inside a selector: a store is a tracking proxy. */
  readonly readTracked: Read;
  /** The state's own objects: reading a store means the whole of it. */
  readonly readWhole: Read;
  readonly readPart: ReadPart;
  readonly trackedProxy: (store: StoreDefinition) => unknown;
}

/** The values of one selector, or store, for different arguments. */
export class EntryGroup {
  readonly all = new Map<string, Entry>();
  /** Those that are neither watched nor read, in the order in which they were last asked for. */
  readonly idle = new Map<string, Entry>();
  /** Goes on through `idle`: a new look for the first one would go past all that were taken out. */
  private readonly oldest = this.idle.entries();
  /** A value was asked for since all groups were looked at. */
  isRecent = true;

  /** @param keep how many idle ones are kept */
  constructor(private readonly keep: number) {}

  add(key: string, entry: Entry): void {
    this.all.set(key, entry);
    this.idle.set(key, entry);
    this.trim(entry);
  }

  /** It is not in use: from now on it only stays as long as there is room. */
  rest(entry: Entry): void {
    const { key } = entry.recipe;
    if (this.all.get(key) !== entry) return;
    this.idle.set(key, entry);
    this.trim();
  }

  /** Evicts the values that were read longest ago, as far as there are more than are to be kept. */
  private trim(spare?: Entry): void {
    const { all, idle, oldest, keep } = this;
    while (idle.size > keep) {
      const [key, entry] = oldest.next().value!;
      idle.delete(key);
      if (entry === spare) return void idle.set(key, entry);
      if (entry.inUse) continue;
      all.delete(key);
      entry.end();
    }
  }
}

/** The value of one source. */
export class Entry extends Reader implements Informed, Invalidated {
  /** A list in the order in which they came. One that comes while all are told knows the value already. */
  firstWatcher: Watcher | undefined;
  private lastWatcher: Watcher | undefined;
  /** For a selector without a store and without arguments: nothing has to be looked up before it runs. */
  private plain: ((read: Read, part: ReadPart) => unknown) | undefined;
  /** Components that show it, in frameworks that track what they read: they compute the value when it is invalid. */
  followers: Set<Invalidated> | undefined;
  /** How many holds keep it cached, besides its watchers, followers and readers. */
  pins = 0;
  of: Derivation | StoreDefinition;
  /** @param group where it is cached; without one it belongs to a single hold */
  constructor(
    readonly reading: EntryHost,
    readonly recipe: Recipe<unknown>,
    private readonly group: EntryGroup | undefined,
  ) {
    super();
    const { of } = recipe;
    // Whoever was not reloaded still holds the first one.
    this.of = (DEV && !(of instanceof StoreDefinition) && reading.ground.renewed?.(of)) || of;
    this.begin();
  }

  /** Makes ready to derive by what is declared now. */
  begin(): void {
    const { of } = this;
    if (of instanceof StoreDefinition) return;
    const { args } = this.recipe;
    this.plain = of.starting
      ? of.starting(...(args as never[]))
      : !of.store && args.length === 0
        ? (of.derive as never)
        : undefined;
  }

  get name(): string {
    const { of, args } = this.recipe;
    return of.name + (args.length > 0 ? `(${describeArguments(args)})` : '');
  }
  get inUse(): boolean {
    return this.firstWatcher !== undefined || this.read || this.pins > 0 || this.followers !== undefined;
  }
  /** Whether it is never evicted. */
  get stays(): boolean {
    return this.recipe.bare !== NO_BARE || this.recipe.of instanceof StoreDefinition;
  }

  protected override derive(): unknown {
    const { plain, reading } = this;
    const value = plain === undefined ? this.look() : plain(reading.readTracked, reading.readPart);
    if (typeof value !== 'object' || value === null) return value;
    const result = withoutProxies(value);
    if (DEV) freezeResult(result);
    return result;
  }
  /** For a selector that needs its store or arguments. */
  private look(): unknown {
    const { of } = this;
    const { args } = this.recipe;
    const { trackedProxy, readTracked } = this.reading;
    if (of instanceof StoreDefinition) return undefined;
    const from = (of.store ? trackedProxy(of.store) : readTracked) as never;
    return args.length === 0 ? of.derive(from) : of.derive(from, ...(args as never[]));
  }
  protected override equal(before: unknown, after: unknown): boolean {
    const { equal } = this.of as { readonly equal?: (before: unknown, after: unknown) => boolean };
    return equal !== undefined && equal(before, after);
  }
  protected override becameStale(): void {
    if (this.firstWatcher !== undefined) this.reading.viewed.due.add(this);
    if (this.followers) this.reading.viewed.due.addInvalidated(this);
  }
  override unused(): void {
    this.becameIdle();
  }
  /** Nothing uses it any more: from now on it only stays as long as there is room. */
  becameIdle(): void {
    if (this.inUse) return;
    if (this.group) this.group.rest(this);
    else this.end();
  }

  watch(listener: (now: never, before: never) => void, how: InnerWatching): () => void {
    const { reading, group } = this;
    const watcher = new Watcher(reading.ground, listener, how, this);
    const before = this.lastWatcher;
    this.lastWatcher = watcher;
    if (before) [before.next, watcher.before] = [watcher, before];
    else this.firstWatcher = watcher;
    group?.idle.delete(this.recipe.key);
    let value: unknown;
    let failed = false;
    try {
      value = unnoted(() => this.get());
    } catch (error) {
      failed = true;
      if (watcher.error(error)) reading.ground.problem(error);
    }
    if (!failed) watcher.begin(value);
    return () => {
      if (!watcher.active) return;
      watcher.active = false;
      const { before, next } = watcher;
      if (before) before.next = next;
      else this.firstWatcher = next;
      if (next) next.before = before;
      else this.lastWatcher = before;
      this.becameIdle();
    };
  }

  /** Invalidates a follower whenever the value may have become another one. Returns a function that stops it. */
  follow(follower: Invalidated): () => void {
    (this.followers ??= new Set()).add(follower);
    this.group?.idle.delete(this.recipe.key);
    return () => {
      if (!this.followers?.delete(follower) || this.followers.size > 0) return;
      this.followers = undefined;
      this.becameIdle();
    };
  }
  invalidate(): void {
    if (this.followers) for (const follower of [...this.followers]) follower.invalidate();
  }

  /** Derives the value once more, whatever is known of what it depends on: the function reads what Floe does not see. */
  rederive(): unknown {
    this.state = DIRTY;
    return this.get();
  }

  inform(): void {
    let value: unknown;
    try {
      value = this.get();
    } catch (error) {
      // An error that no watcher handles is reported once, however many watch.
      let unhandled = false;
      for (let one = this.firstWatcher; one !== undefined; one = one.next) if (one.error(error)) unhandled = true;
      if (unhandled) this.reading.ground.problem(error);
      return;
    }
    for (let one = this.firstWatcher; one !== undefined; one = one.next) one.value(value);
  }

  /** The runtime is closed. */
  endWatching(): void {
    let one = this.firstWatcher;
    this.firstWatcher = this.lastWatcher = undefined;
    for (; one !== undefined; one = one.next) {
      one.active = false;
      one.how.onEnd?.();
    }
  }
}

/** The whole state of a store: there is nothing to derive. It is the only one of its group, so it stays. */
export class Whole extends Entry {
  private index: number | undefined;
  override refresh(): void {
    const { ground, viewed } = this.reading;
    if (this.index === undefined) {
      this.index = ground.cell(this.recipe.of as StoreDefinition).index;
      viewed.places[this.index].attach(this);
    }
    this.take(viewed.states[this.index]);
  }
}

/** A function that runs for its effect, again whenever something that it read changed. */
export class FollowedFunction extends Reader implements Informed {
  readonly name = 'follow';
  private active = true;
  constructor(
    private readonly reading: EntryHost,
    private readonly fn: (read: Read) => void,
  ) {
    super();
  }
  override get effect(): boolean {
    return true;
  }
  protected override derive(): void {
    this.reading.ground.asWatcher(() => this.fn(this.reading.readWhole));
  }
  protected override becameStale(): void {
    this.reading.viewed.due.add(this);
  }
  inform(): void {
    if (!this.active) return;
    try {
      this.get();
    } catch (error) {
      this.reading.ground.problem(error);
    }
  }
  stop(): void {
    this.active = false;
    this.end();
  }
}
