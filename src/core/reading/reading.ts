// Reading and watching in one runtime: a derived value for each source that was asked for, as long as it is watched
// or there is room.
import { SOURCE } from '../base/protocol.js';
import { currentReader, note, unnoted } from '../reactive/graph.js';
import { hasPart, isBranch, partOf } from '../data/plain.js';
import { readIsNoState } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import {
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
import { noteKind } from '../reactive/tracking.js';
import type { InnerWatching } from '../reactive/watcher.js';
import { Entry, EntryGroup, FollowedFunction, Whole, type EntryHost, type Ground, type Viewed } from './entry.js';

/** So many selectors with values are there before those that nothing uses are looked for. */
const MOST_GROUPS = 1000;

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

export class Reading implements EntryHost {
  /** By the id of a selector or a store. */
  private readonly groups = new Map<number, EntryGroup>();
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

  /** Inside a selector a store is read as a tracking proxy, so that what counts as read is only what is looked at. */
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
      noteKind(place);
      return place.trackedProxy(state);
    }
    note(place);
    return state;
  };

  watch(source: Source<unknown>, listener: (now: never, before: never) => void, how: InnerWatching = {}): () => void {
    return this.entry(recipeOf(source)).watch(listener, how);
  }

  follow(fn: (read: Read) => void): () => void {
    const follower = new FollowedFunction(this, fn);
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
    else group.add(key, entry);
    return entry;
  }

  private newGroup(of: Derivation | StoreDefinition): EntryGroup {
    if (this.groups.size >= this.full) this.dropUnused();
    const group = new EntryGroup(of instanceof StoreDefinition ? 1 : of.keep);
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
