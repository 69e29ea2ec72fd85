// Reading and watching in one runtime: a derived value for each source that was asked for, as long as somebody watches it
// or there is room.
import { currentReader, note, Reader, unnoted } from './graph.js';
import { freezeResult, hasPart, isBranch, partOf } from './plain.js';
import { DEV } from './mode.js';
import { NO_BARE, recipeOf, SOURCE, type Read, type ReadPart, type Recipe, type Source } from './source.js';
import { StoreDefinition } from './store.js';
import { withoutStandIns, type Place } from './tracking.js';

/** What reading needs of the runtime. */
export interface Ground {
  /** The state of a store now, and the place where it stands; the store joins when it has not. */
  slot(store: StoreDefinition): { readonly state: unknown; readonly place: Place };
  /** Has it informed at the next notification. */
  schedule(informed: Informed): void;
  /** What is dispatched while `fn` runs comes after it. */
  asWatcher(fn: () => void): void;
  problem(error: unknown): void;
}

/** Told when what it reads may have changed. */
export interface Informed {
  inform(): void;
}

interface Watcher {
  readonly listener: (now: never, before: never) => void;
  last: unknown;
  active: boolean;
}

/** The values of one selector, or store, for different arguments. */
interface Group {
  readonly all: Map<string, Entry>;
  /** Those that nobody watches or reads, in the order in which they were last asked for. */
  readonly idle: Map<string, Entry>;
  readonly keep: number;
}

/** The value of one source. */
class Entry extends Reader implements Informed {
  /** Mostly one watches, and a set costs more than it. */
  private watcher: Watcher | undefined;
  /** The others, in the order in which they came. One that comes while all are told knows the value already. */
  private watchers: Set<Watcher> | undefined;
  /** For a selector without a store and without arguments: nothing has to be looked up before it runs. */
  private readonly plain: ((read: Read, part: ReadPart) => unknown) | undefined;
  constructor(
    protected readonly reading: Reading,
    readonly recipe: Recipe<unknown>,
    private readonly group: Group,
  ) {
    super();
    const { of, args } = recipe;
    if (of instanceof StoreDefinition) return;
    if (of.starting) this.plain = of.starting(...(args as never[]));
    else if (!of.store && args.length === 0) this.plain = of.derive as never;
  }

  get name(): string {
    const { of, args } = this.recipe;
    return of.name + (args.length > 0 ? `(${args.map((arg) => JSON.stringify(arg)).join(', ')})` : '');
  }
  private get watched(): boolean {
    return this.watcher !== undefined || (this.watchers !== undefined && this.watchers.size > 0);
  }
  get inUse(): boolean {
    return this.watched || this.read;
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
    const { of, args } = this.recipe;
    const { standIn, readTracked } = this.reading;
    if (of instanceof StoreDefinition) return undefined;
    const from = (of.store ? standIn(of.store) : readTracked) as never;
    return args.length === 0 ? of.derive(from) : of.derive(from, ...(args as never[]));
  }
  protected override equal(before: unknown, after: unknown): boolean {
    const { equal } = this.recipe.of as { readonly equal?: (before: unknown, after: unknown) => boolean };
    return equal !== undefined && equal(before, after);
  }
  protected override becameStale(): void {
    if (this.watched) this.reading.ground.schedule(this);
  }
  override unused(): void {
    this.reading.rest(this, this.group);
  }

  watch(listener: Watcher['listener'], now: boolean): () => void {
    const { reading, group } = this;
    const watcher: Watcher = { listener, last: undefined, active: true };
    if (this.watched) (this.watchers ??= new Set()).add(watcher);
    else this.watcher = watcher;
    group.idle.delete(this.recipe.key);
    try {
      watcher.last = unnoted(() => this.get());
    } catch (error) {
      reading.ground.problem(error);
    }
    if (now) this.call(watcher, watcher.last, undefined);
    return () => {
      if (!watcher.active) return;
      watcher.active = false;
      if (this.watcher === watcher) this.watcher = undefined;
      else this.watchers!.delete(watcher);
      reading.rest(this, group);
    };
  }

  inform(): void {
    let value: unknown;
    try {
      value = this.get();
    } catch (error) {
      this.reading.ground.problem(error);
      return;
    }
    if (this.watcher !== undefined) this.tell(this.watcher, value);
    if (this.watchers !== undefined) for (const watcher of this.watchers) this.tell(watcher, value);
  }

  private tell(watcher: Watcher, now: unknown): void {
    const before = watcher.last;
    if (Object.is(before, now)) return;
    watcher.last = now;
    this.call(watcher, now, before);
  }

  private call(watcher: Watcher, now: unknown, before: unknown): void {
    try {
      watcher.listener(now as never, before as never);
    } catch (error) {
      this.reading.ground.problem(error);
    }
  }
}

/** The whole state of a store: there is nothing to derive. It is the only one of its group, so it stays. */
class Whole extends Entry {
  private slot: ReturnType<Ground['slot']> | undefined;
  override refresh(): void {
    if (this.slot === undefined) {
      this.slot = this.reading.ground.slot(this.recipe.of as StoreDefinition);
      this.slot.place.attach(this);
    }
    this.take(this.slot.state);
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
    this.reading.ground.schedule(this);
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

export class Reading {
  /** By the id of a selector or a store. */
  private groups: (Group | undefined)[] = [];
  /** The values of selectors without arguments, by the same id. They are few: they always stay. */
  private bares: (Entry | undefined)[] = [];
  constructor(readonly ground: Ground) {}

  /** The value of a source, as it is. */
  read(source: Source<unknown>): unknown {
    const recipe = recipeOf(source);
    if (recipe.of instanceof StoreDefinition && !currentReader()) return this.ground.slot(recipe.of).state;
    return this.entry(recipe).get();
  }

  /** Inside a selector a store is read as a stand-in, so that what counts as read is only what is looked at. */
  readonly readTracked = ((source: Source<unknown>) => {
    const recipe = source[SOURCE] ?? recipeOf(source);
    const bare = this.bares[recipe.bare];
    if (bare !== undefined) return bare.get();
    return recipe.of instanceof StoreDefinition ? this.standIn(recipe.of) : this.entry(recipe).get();
  }) as Read;

  readonly readPart: ReadPart = (store, way, fallback) => {
    let { state: value, place } = this.ground.slot(store);
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

  readonly standIn = (store: StoreDefinition): unknown => {
    const { state, place } = this.ground.slot(store);
    if (isBranch(state)) {
      place.noteKind();
      return place.standIn(state);
    }
    note(place);
    return state;
  };

  watch(source: Source<unknown>, listener: (now: never, before: never) => void, now = false): () => void {
    return this.entry(recipeOf(source)).watch(listener, now);
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
    const group: Group = (this.groups[of.id] ??= {
      all: new Map<string, Entry>(),
      idle: new Map<string, Entry>(),
      keep: of instanceof StoreDefinition ? 1 : of.keep,
    });
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

  /** Nobody reads or watches it any more: from now on it only stays as long as there is room. */
  rest(entry: Entry, group: Group): void {
    const { key } = entry.recipe;
    if (entry.inUse || group.all.get(key) !== entry) return;
    group.idle.set(key, entry);
    this.trim(group);
  }

  /** Lets go of the values that nobody has asked for longest, as far as there are more than are to be kept. */
  private trim({ all, idle, keep }: Group, spare?: Entry): void {
    for (const [key, entry] of idle) {
      if (idle.size <= keep || entry === spare) return;
      idle.delete(key);
      if (entry.inUse) continue;
      all.delete(key);
      entry.end();
    }
  }

  /** Forgets all values; those that are watched are told no more. */
  clear(): void {
    this.groups = [];
    this.bares = [];
  }
}
