// What selectors read, to the property. A selector sees tracking proxies: read-only views that note each read at a *place* of
// the state. When a transition replaced parts of the state, only the places under those parts are visited, and only the
// selectors noted there are told.
import type { Touches } from '../data/touches.js';
import { selectorEdits, selectorEnded } from '../base/errors.js';
import { currentReader, Facet, note, Port, readsAny } from './graph.js';
import { isKeyed, KEYED } from '../data/keyed.js';
import { isDigit, listReads, type Listing } from '../data/list-reads.js';
import { DEV } from '../base/mode.js';
import {
  NODE,
  hasOwn,
  hasPart,
  inheritedOrOwn,
  isBranch,
  isContainer,
  isMap,
  isSet,
  kindOf,
  partOf,
  replaceEntries,
  replaceParts,
  type Branch,
} from '../data/plain.js';

/** Reads of more parts of one object than this, by one selector, become one read of the whole object. */
const MOST_PARTS = 128;

/** A place of the state that a reader read. Its own port is for the readers of the value there. */
export class TrackedPlace extends Port {
  /** For those who only saw whether the value is an object, an array or neither. */
  kind: Facet | undefined;
  /** For those who only asked whether the key is there. */
  presence: Facet | undefined;
  /** For those who listed the keys. */
  keys: Facet | undefined;
  /** For those who only saw how many rows a table has. */
  size: Facet | undefined;
  parts: Map<string, TrackedPlace> | undefined;
  private tracked: { readonly raw: Branch; readonly proxy: object } | undefined;
  // How many parts the run that reads now has read here; from a limit on it depends on the whole.
  private run = 0;
  private count = 0;
  private lastRun = 0;
  /** The last run that listed the keys. */
  private keysRun = 0;

  constructor(
    readonly above: TrackedPlace | undefined,
    readonly key: string,
  ) {
    super();
  }

  place(key: string): TrackedPlace {
    let part = this.parts?.get(key);
    if (!part) (this.parts ??= new Map()).set(key, (part = new TrackedPlace(this, key)));
    return part;
  }

  /** The tracking proxy for the container that is here now. */
  trackedProxy(raw: Branch): object {
    return this.trackedProxyOf(raw) ?? (this.tracked = { raw, proxy: proxyOf(raw, this) }).proxy;
  }
  /** The same, where it was made before. */
  trackedProxyOf(value: unknown): object | undefined {
    return this.tracked !== undefined && this.tracked.raw === value ? this.tracked.proxy : undefined;
  }

  /** Whether a list stands here that has all items of another one, in their order. */
  hasAllOf(list: readonly unknown[]): boolean {
    const raw = this.tracked?.raw;
    return Array.isArray(raw) && isPartOf(list, raw);
  }

  /** Notes whether a part is there; who has listed the keys depends on all of them anyway. */
  notePresenceOf(key: string): void {
    const reader = currentReader();
    const part = reader && this.keysRun !== reader.run ? this.partFor(key, reader.run) : undefined;
    if (part) note((part.presence ??= new Facet(part)));
  }
  noteKeys(): void {
    const reader = currentReader();
    if (!reader) return;
    this.keysRun = reader.run;
    note((this.keys ??= new Facet(this)));
  }
  noteSize(): void {
    note((this.size ??= new Facet(this)));
  }

  /** The part under a key, counted once a run; nothing when the run depends on the whole anyway. */
  partFor(key: string, run: number): TrackedPlace | undefined {
    const known = this.parts?.get(key);
    if (known?.lastRun === run) return known;
    if (this.collapsed(run)) return undefined;
    const part = known ?? this.place(key);
    part.lastRun = run;
    return part;
  }

  /** Whether the run depends on the whole of this place; counts more parts read. */
  collapsed(run: number, parts = 1): boolean {
    if (this.run !== run) {
      this.run = run;
      this.count = 0;
    }
    if (this.count > MOST_PARTS) return true;
    this.count += parts;
    if (this.count <= MOST_PARTS) return false;
    note(this);
    return true;
  }

  /** Marks the readers of what is now different here or below. */
  changed(before: unknown, after: unknown, touches: Touches | undefined): void {
    if (Object.is(before, after)) return;
    this.mark();
    if (this.kind && kindOf(before) !== kindOf(after)) this.kind.mark();
    if (!this.parts && !this.keys && !this.size) return;
    if (!isContainer(after) && isKeyed(before) && isKeyed(after))
      return before[KEYED].changed(this, before, after, touches);
    this.size?.mark();
    if (this.keys && !sameKeys(before, after)) this.keys.mark();
    if (!this.parts) return;
    const touch = touches?.get(after);
    if (touch && !touch.moved && touch.base === before && (touch.keys?.length ?? 0) < this.parts.size) {
      for (const key of touch.keys ?? []) this.parts.get(key)?.within(before, after, touches);
      // A touched array may have grown or shrunk, which is no key of its own.
      if (Array.isArray(after)) this.parts.get('length')?.within(before, after, touches);
    } else for (const part of this.parts.values()) part.within(before, after, touches);
  }

  /** What stands here in a container is now what it is in another one. */
  within(before: unknown, after: unknown, touches: Touches | undefined): void {
    const had = hasPart(before, this.key);
    const has = hasPart(after, this.key);
    if (this.presence && had !== has) this.presence.mark();
    this.changed(had ? partOf(before, this.key) : undefined, has ? partOf(after, this.key) : undefined, touches);
  }

  /** A place without a reader is forgotten, and so are those above it. */
  override unused(): void {
    if (
      !this.read &&
      !this.kind?.read &&
      !this.presence?.read &&
      !this.keys?.read &&
      !this.size?.read &&
      !this.parts?.size
    )
      this.above?.forget(this.key);
  }
  private forget(key: string): void {
    this.parts?.delete(key);
    if (this.parts?.size === 0) {
      this.parts = undefined;
      this.unused();
    }
  }
}

/** Notes that what stands at a place was only seen to be an object, an array or neither. */
export const noteKind = (place: TrackedPlace): void => note((place.kind ??= new Facet(place)));

function proxyOf(raw: Branch, place: TrackedPlace): object {
  if (isKeyed(raw)) return raw[KEYED].trackedProxy(raw, place);
  const tracked = new Tracked(raw, place);
  return Array.isArray(raw) ? new Proxy([tracked], listTraps) : new Proxy(tracked, objectTraps);
}

function sameKeys(before: unknown, after: unknown): boolean {
  if (!isContainer(before) || !isContainer(after)) return false;
  if (Array.isArray(before)) return Array.isArray(after) && before.length === after.length;
  const keys = Object.keys(before);
  const others = Object.keys(after);
  return keys.length === others.length && keys.every((key, i) => key === others[i]);
}

/** What a tracking proxy stands for. */
export class Tracked implements Listing {
  constructor(
    readonly raw: Branch,
    readonly place: TrackedPlace,
  ) {}

  // Asked of lists only; a list does not change while a selector runs.
  begin(): number {
    return trackedPart(this, 'length') as number;
  }
  get size(): number {
    return (this.raw as unknown[]).length;
  }
  item(index: number): unknown {
    return noted(this, String(index), (this.raw as unknown[])[index]);
  }
}

/** Reads one part of a tracking proxy, and notes that it was read. */
export function trackedPart(tracked: Tracked, key: string): unknown {
  const { raw } = tracked;
  return noted(tracked, key, isKeyed(raw) ? raw.get(key) : inheritedOrOwn(raw, key));
}

/** Notes that a part was read. What is looked into further is seen as a tracking proxy. */
function noted({ raw, place }: Tracked, key: string, value: unknown): unknown {
  const reader = currentReader();
  if (DEV && reader === undefined) throw selectorEnded(key);
  const part = reader && place.partFor(key, reader.run);
  if (!part) return value;
  if (typeof value === 'object' && value !== null) {
    const known = part.trackedProxyOf(value);
    if (known !== undefined || (hasPart(raw, key) && isBranch(value))) {
      noteKind(part);
      return known ?? part.trackedProxy(value as Branch);
    }
  }
  note(part);
  return value;
}

const readOnly = (): never => {
  throw selectorEdits();
};

const common = {
  set: readOnly,
  deleteProperty: readOnly,
  defineProperty: readOnly,
  setPrototypeOf: readOnly,
  preventExtensions: readOnly,
};

/**
 * Listing keys asks for a description of each, and does not read the values: a part is described by how it is read.
 */
function describePart(tracked: Tracked, key: PropertyKey): PropertyDescriptor | undefined {
  const found = Object.getOwnPropertyDescriptor(tracked.raw, key);
  if (typeof key === 'symbol' || (found && !found.enumerable)) {
    if (key === 'length') trackedPart(tracked, key);
    return found && { ...found, writable: true };
  }
  const name = String(key);
  tracked.place.notePresenceOf(name);
  return found && { get: () => trackedPart(tracked, name), enumerable: true, configurable: true };
}

function hasPartIn(tracked: Tracked, key: PropertyKey): boolean {
  if (DEV && currentReader() === undefined) throw selectorEnded(String(key));
  if (typeof key === 'string' && (hasOwn(tracked.raw, key) || !(key in tracked.raw))) tracked.place.notePresenceOf(key);
  return key in tracked.raw;
}

function keysOf(tracked: Tracked): (string | symbol)[] {
  if (DEV && currentReader() === undefined) throw selectorEnded('keys');
  tracked.place.noteKeys();
  return Reflect.ownKeys(tracked.raw);
}

const objectTraps: ProxyHandler<Tracked> = {
  ...common,
  get: (tracked, key) => (typeof key === 'string' ? trackedPart(tracked, key) : key === NODE ? tracked : undefined),
  has: hasPartIn,
  ownKeys: keysOf,
  getOwnPropertyDescriptor: describePart,
  getPrototypeOf: () => Object.prototype,
};

const listTraps: ProxyHandler<Tracked[]> = {
  ...common,
  get(target, key) {
    const tracked = target[0];
    if (key === NODE) return tracked;
    if (typeof key === 'string' && isDigit(key)) return trackedPart(tracked, key);
    const raw = tracked.raw as unknown[];
    const inherited = key in Array.prototype && key !== 'length';
    if (!inherited) return typeof key === 'string' ? trackedPart(tracked, key) : undefined;
    const method = (raw as unknown as Record<PropertyKey, unknown>)[key];
    if (key === 'includes' || key === 'indexOf' || key === 'lastIndexOf') return lookFor(tracked, key);
    // A method that goes through a long array reads it as a whole, at the speed of the array itself.
    const reader = currentReader();
    if (
      typeof method === 'function' &&
      raw.length > MOST_PARTS &&
      key !== 'at' &&
      reader &&
      tracked.place.collapsed(reader.run, raw.length)
    ) {
      return method.bind(raw) as unknown;
    }
    return listReads[key === Symbol.iterator ? 'values' : (key as string)] ?? method;
  },
  has: (target, key) => hasPartIn(target[0], key),
  ownKeys: (target) => keysOf(target[0]),
  getOwnPropertyDescriptor: (target, key) => describePart(target[0], key),
};

/** Looks for an item by the object that it is, or by its tracking proxy; depends on the whole list. */
function lookFor({ raw, place }: Tracked, method: 'includes' | 'indexOf' | 'lastIndexOf') {
  return (item: unknown, ...from: number[]): unknown => {
    note(place);
    const tracked = typeof item === 'object' && item !== null ? (item as { [NODE]?: unknown })[NODE] : undefined;
    const look = (raw as unknown[])[method] as (...args: unknown[]) => unknown;
    return look.call(raw, tracked instanceof Tracked ? tracked.raw : item, ...from);
  };
}

function isPartOf(list: readonly unknown[], whole: readonly unknown[]): boolean {
  let at = 0;
  for (const item of list) {
    while (at < whole.length && whole[at] !== item) at++;
    if (at++ === whole.length) return false;
  }
  return true;
}

/**
 * A derived value as it leaves a selector: every tracking proxy in it is replaced by the state's own object, and having
 * handed it out counts as having read the whole of it.
 */
export function withoutProxies(value: unknown, above?: Set<object>): unknown {
  if (typeof value !== 'object' || value === null) return value;
  const tracked = (value as { [NODE]?: unknown })[NODE];
  if (tracked instanceof Tracked) {
    note(tracked.place);
    return tracked.raw;
  }
  // What has only items of a list of the state has no tracking proxies in it: a long list is read as it is.
  const reader = currentReader();
  if (
    !above &&
    reader &&
    Array.isArray(value) &&
    readsAny(reader, (port) => port instanceof TrackedPlace && port.hasAllOf(value))
  )
    return value;
  if (isKeyed(value)) return value[KEYED].resolved(value, (row) => withoutProxies(row, above));
  const isEntries = isMap(value) || isSet(value);
  if ((!isEntries && !isContainer(value)) || above?.has(value)) return value;
  const inside = (part: unknown): unknown => withoutProxies(part, (above ??= new Set()).add(value));
  return isEntries ? replaceEntries(value, inside) : replaceParts(value, inside);
}
