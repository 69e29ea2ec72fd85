// Reading and watching in one runtime: a derived value for each source that was asked for, as long as it is watched
// or there is room.
import { SOURCE } from '../base/protocol.js';
import { currentReader, DIRTY, note, Reader, unnoted } from '../reactive/graph.js';
import { hasPart, isBranch, partOf } from '../data/plain.js';
import { freezeResult } from '../data/guard.js';
import { readIsNoState } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import {
  describeArguments,
  INLINE,
  NO_BARE,
  recipeOf,
  type Derivation,
  type Read,
  type ReadPart,
  type Recipe,
  type Source,
} from '../model/source.js';
import { StoreDefinition } from '../model/store.js';
import { withoutStandIns, type Place } from '../reactive/tracking.js';
import { Watcher, type ErrorSink, type InnerWatching } from '../reactive/watcher.js';

/** What reading needs of the runtime. */
export interface Ground extends ErrorSink {
  /** Where the state of a store stands; the store joins when it has not. */
  cell(store: StoreDefinition): { readonly index: number };
  /** What is dispatched while `fn` runs comes after it. */
  asWatcher(fn: () => void): void;
}

/** The states that are read. */
export interface Viewed {
  /** By the index of a cell, as the places are. */
  readonly states: readonly unknown[];
  readonly places: readonly Place[];
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

/** The values of one selector, or store, for different arguments. */
interface Group {
  readonly all: Map<string, Entry>;
  /** Those that are neither watched nor read, in the order in which they were last asked for. */
  readonly idle: Map<string, Entry>;
  /** Goes on through `idle`: a new look for the first one would go past all that were taken out. */
  readonly oldest: Iterator<[string, Entry], undefined>;
  readonly keep: number;
  /** A value was asked for since all groups were looked at. */
  isRecent: boolean;
}

/** So many selectors with values are there before those that nothing uses are looked for. */
const MOST_GROUPS = 1000;

function groupOf(keep: number): Group {
  const idle = new Map<string, Entry>();
  return { all: new Map(), idle, oldest: idle.entries(), keep, isRecent: true };
}

/** The value of one source. */
export class Entry extends Reader implements Informed, Invalidated {
  /** A list in the order in which they came. One that comes while all are told knows the value already. */
  firstWatcher: Watcher | undefined;
  private lastWatcher: Watcher | undefined;
  /** For a selector without a store and without arguments: nothing has to be looked up before it runs. */
  private plain: ((read: Read, part: ReadPart) => unknown) | undefined;
  /** Components that show it, in frameworks that track what they read: they compute the value when it is invalid. */
  private followers: Set<Invalidated> | undefined;
  /** How many holds keep it cached, besides its watchers, followers and readers. */
  pins = 0;
  of: Derivation | StoreDefinition;
  /** @param group where it is cached; without one it belongs to a single hold */
  constructor(
    readonly reading: Reading,
    readonly recipe: Recipe<unknown>,
    private readonly group: Group | undefined,
  ) {
    super();
    this.of = recipe.of;
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
  private get watched(): boolean {
    return this.firstWatcher !== undefined;
  }
  get inUse(): boolean {
    return this.watched || this.read || this.pins > 0 || this.followers !== undefined;
  }
  /** Whether it is never evicted. */
  get stays(): boolean {
    return this.recipe.bare !== NO_BARE || this.recipe.of instanceof StoreDefinition;
  }

  protected override derive(): unknown {
    const { plain, reading } = this;
    const value = plain === undefined ? this.look() : plain(reading.readTracked, reading.readPart);
    if (typeof value !== 'object' || value === null) return value;
    const result = withoutStandIns(value);
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
    if (this.watched) this.reading.viewed.due.add(this);
    if (this.followers) this.reading.viewed.due.addInvalidated(this);
  }
  override unused(): void {
    this.becameIdle();
  }
  /** Nothing uses it any more: from now on it only stays as long as there is room. */
  becameIdle(): void {
    if (this.inUse) return;
    if (this.group) this.reading.rest(this, this.group);
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
      return this.informOfError(error);
    }
    for (let one = this.firstWatcher; one !== undefined; one = one.next) one.value(value);
  }

  /** An error that no watcher handles is reported once, however many watch. */
  private informOfError(error: unknown): void {
    let unhandled = false;
    for (let one = this.firstWatcher; one !== undefined; one = one.next) if (one.error(error)) unhandled = true;
    if (unhandled) this.reading.ground.problem(error);
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
class Whole extends Entry {
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
class Follower extends Reader implements Informed {
  readonly name = 'follow';
  private active = true;
  constructor(
    private readonly reading: Reading,
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

/** Development only: `read` that says so where it is taken for a state. */
const callOnly = (read: Read): Read =>
  !DEV
    ? read
    : new Proxy(read, {
        get(target, key) {
          if (typeof key === 'symbol' || key in target) return Reflect.get(target, key) as unknown;
          throw readIsNoState(key);
        },
      });

export class Reading {
  /** By the id of a selector or a store. */
  private readonly groups = new Map<number, Group>();
  /** As many groups are there when the next look for unused ones comes. */
  private full = MOST_GROUPS;
  /** The values of early selectors without arguments, by the same id. They are few: they always stay. */
  private bares: (Entry | undefined)[] = [];
  constructor(
    readonly ground: Ground,
    readonly viewed: Viewed,
  ) {}

  /** The value of a source, as it is. */
  read(source: Source<unknown>): unknown {
    const recipe = recipeOf(source);
    if (recipe.of instanceof StoreDefinition && !currentReader()) return this.stateOf(recipe.of);
    return this.entry(recipe).get();
  }

  private stateOf(store: StoreDefinition): unknown {
    // The store may join only now.
    const { index } = this.ground.cell(store);
    return this.viewed.states[index];
  }

  /** Inside a selector a store is read as a stand-in, so that what counts as read is only what is looked at. */
  readonly readTracked = callOnly(((source: Source<unknown>) => {
    const recipe = source[SOURCE] ?? recipeOf(source);
    const bare = this.bares[recipe.bare];
    if (bare !== undefined) return bare.get();
    return recipe.of instanceof StoreDefinition ? this.trackedProxy(recipe.of) : this.entry(recipe).get();
  }) as Read);

  readonly readPart: ReadPart = (store, way, fallback) => {
    const { index } = this.ground.cell(store);
    let value = this.viewed.states[index];
    let place = this.viewed.places[index];
    let there = true;
    for (const key of way) {
      place = place.place(key);
      there &&= hasPart(value, key);
      value = partOf(value, key);
    }
    note(place);
    return there ? value : fallback;
  };

  /** What is followed gets the state's own objects: reading a store means the whole of it. */
  readonly readWhole = ((source: Source<unknown>) => this.entry(recipeOf(source)).get()) as Read;

  readonly trackedProxy = (store: StoreDefinition): unknown => {
    const { index } = this.ground.cell(store);
    const state = this.viewed.states[index];
    const place = this.viewed.places[index];
    if (isBranch(state)) {
      place.noteKind();
      return place.trackedProxy(state);
    }
    note(place);
    return state;
  };

  watch(source: Source<unknown>, listener: (now: never, before: never) => void, how: InnerWatching = {}): () => void {
    return this.entry(recipeOf(source)).watch(listener, how);
  }

  follow(fn: (read: Read) => void): () => void {
    const follower = new Follower(this, fn);
    try {
      unnoted(() => follower.get());
    } catch (error) {
      follower.stop();
      throw error;
    }
    return () => follower.stop();
  }

  private entry(recipe: Recipe<unknown>): Entry {
    const bare = this.bares[recipe.bare];
    if (bare !== undefined) return bare;
    const { of, key } = recipe;
    const group = this.groups.get(of.id) ?? this.newGroup(of);
    group.isRecent = true;
    const known = group.all.get(key);
    if (known) {
      if (group.idle.delete(key)) group.idle.set(key, known);
      return known;
    }
    const entry = of instanceof StoreDefinition ? new Whole(this, recipe, group) : new Entry(this, recipe, group);
    if (recipe.bare !== NO_BARE) this.bares[recipe.bare] = entry;
    else {
      group.all.set(key, entry);
      group.idle.set(key, entry);
      this.trim(group, entry);
    }
    return entry;
  }

  private newGroup(of: Derivation | StoreDefinition): Group {
    if (this.groups.size >= this.full) this.dropUnused();
    const group = groupOf(of instanceof StoreDefinition ? 1 : of.keep);
    this.groups.set(of.id, group);
    return group;
  }

  /**
   * Selectors that a function makes each time that it runs would be kept for good: those of which no value is in use, and
   * none was asked for since the last look, are dropped with what was cached for them.
   */
  private dropUnused(): void {
    for (const [id, group] of this.groups) {
      const { all, isRecent } = group;
      group.isRecent = false;
      if (isRecent || Array.from(all.values()).some(({ inUse }) => inUse)) continue;
      this.groups.delete(id);
      for (const entry of all.values()) entry.end();
    }
    this.full = Math.max(MOST_GROUPS, this.groups.size * 2);
  }

  /** Where a hold finds its value: an inline selection has one of its own. */
  entryFor(recipe: Recipe<unknown>): Entry {
    return recipe.of === INLINE ? new Entry(this, recipe, undefined) : this.entry(recipe);
  }

  /** It is not in use: from now on it only stays as long as there is room. */
  rest(entry: Entry, group: Group): void {
    const { key } = entry.recipe;
    if (group.all.get(key) !== entry) return;
    group.idle.set(key, entry);
    this.trim(group);
  }

  /** Evicts the values that were read longest ago, as far as there are more than are to be kept. */
  private trim({ all, idle, oldest, keep }: Group, spare?: Entry): void {
    while (idle.size > keep) {
      const [key, entry] = oldest.next().value!;
      idle.delete(key);
      if (entry === spare) return void idle.set(key, entry);
      if (entry.inUse) continue;
      all.delete(key);
      entry.end();
    }
  }

  /** All values that are kept. */
  *entries(): Iterable<Entry> {
    for (const group of this.groups.values()) yield* group.all.values();
    for (const entry of this.bares) if (entry) yield entry;
  }

  /** Forgets all values; those that are watched are told no more. */
  clear(): void {
    const all = [...this.entries()];
    this.groups.clear();
    this.bares = [];
    for (const entry of all) entry.endWatching();
  }
}
