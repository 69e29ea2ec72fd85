// What selectors read, to the property. A selector sees stand-ins: read-only views that note each read at a *place* of
// the state. When a transition replaced parts of the state, only the places under those parts are visited, and only the
// selectors noted there are told.
import type { Touches } from '../data/touches.js';
import { selectorEdits, selectorEnded } from '../base/errors.js';
import { currentReader, Facet, note, Port } from './graph.js';
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
export class Place extends Port {
  /** For those who only saw whether the value is an object, an array or neither. */
  kind: Facet | undefined;
  /** For those who only asked whether the key is there. */
  presence: Facet | undefined;
  /** For those who listed the keys. */
  keys: Facet | undefined;
  /** For those who only saw how many rows a table has. */
  size: Facet | undefined;
  parts: Map<string, Place> | undefined;
  private view: { readonly raw: Branch; readonly proxy: object } | undefined;
  // How many parts the run that reads now has read here; from a limit on it depends on the whole.
  private run = 0;
  private count = 0;
  private lastRun = 0;
  /** The last run that listed the keys. */
  private keysRun = 0;

  constructor(
    readonly above: Place | undefined,
    readonly key: string,
  ) {
    super();
  }

  place(key: string): Place {
    let part = this.parts?.get(key);
    if (!part) (this.parts ??= new Map()).set(key, (part = new Place(this, key)));
    return part;
  }

  /** The stand-in for the container that is here now. */
  trackedProxy(raw: Branch): object {
    return this.trackedProxyOf(raw) ?? (this.view = { raw, proxy: this.made(raw) }).proxy;
  }
  /** The same, where it was made before. */
  trackedProxyOf(value: unknown): object | undefined {
    return this.view !== undefined && this.view.raw === value ? this.view.proxy : undefined;
  }
  private made(raw: Branch): object {
    if (isKeyed(raw)) return raw[KEYED].trackedProxy(raw, this);
    const view = new View(raw, this);
    return Array.isArray(raw) ? new Proxy([view], arrayView) : new Proxy(view, objectView);
  }

  /** Whether a list stands here that has all items of another one, in their order. */
  hasAllOf(list: readonly unknown[]): boolean {
    const raw = this.view?.raw;
    return Array.isArray(raw) && isPartOf(list, raw);
  }

  noteKind(): void {
    note((this.kind ??= new Facet(this)));
  }
  /** Notes whether a part is there; who has listed the keys depends on all of them anyway. */
  notePresenceOf(key: string): void {
    const reader = currentReader();
    if (reader && this.keysRun !== reader.run) this.partFor(key, reader.run)?.notePresence();
  }
  private notePresence(): void {
    note((this.presence ??= new Facet(this)));
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
  partFor(key: string, run: number): Place | undefined {
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

function sameKeys(before: unknown, after: unknown): boolean {
  if (!isContainer(before) || !isContainer(after)) return false;
  if (Array.isArray(before)) return Array.isArray(after) && before.length === after.length;
  const keys = Object.keys(before);
  const others = Object.keys(after);
  return keys.length === others.length && keys.every((key, i) => key === others[i]);
}

/** What a stand-in stands for. */
export class View implements Listing {
  constructor(
    readonly raw: Branch,
    readonly place: Place,
  ) {}

  // Asked of lists only; a list does not change while a selector runs.
  begin(): number {
    return readOfView(this, 'length') as number;
  }
  get size(): number {
    return (this.raw as unknown[]).length;
  }
  item(index: number): unknown {
    return noted(this, String(index), (this.raw as unknown[])[index]);
  }
}

/** Reads one part of a stand-in, and notes that it was read. */
export function readOfView(view: View, key: string): unknown {
  const { raw } = view;
  return noted(view, key, isKeyed(raw) ? raw.get(key) : inheritedOrOwn(raw, key));
}

/** Notes that a part was read. What is looked into further is seen as a stand-in. */
function noted({ raw, place }: View, key: string, value: unknown): unknown {
  const reader = currentReader();
  if (DEV && reader === undefined) throw selectorEnded(key);
  const part = reader && place.partFor(key, reader.run);
  if (!part) return value;
  if (typeof value === 'object' && value !== null) {
    const known = part.trackedProxyOf(value);
    if (known !== undefined || (hasPart(raw, key) && isBranch(value))) {
      part.noteKind();
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
function describeView(view: View, key: PropertyKey): PropertyDescriptor | undefined {
  const found = Object.getOwnPropertyDescriptor(view.raw, key);
  if (typeof key === 'symbol' || (found && !found.enumerable)) {
    if (key === 'length') readOfView(view, key);
    return found && { ...found, writable: true };
  }
  const name = String(key);
  view.place.notePresenceOf(name);
  return found && { get: () => readOfView(view, name), enumerable: true, configurable: true };
}

function hasInView(view: View, key: PropertyKey): boolean {
  if (DEV && currentReader() === undefined) throw selectorEnded(String(key));
  if (typeof key === 'string' && (hasOwn(view.raw, key) || !(key in view.raw))) view.place.notePresenceOf(key);
  return key in view.raw;
}

function keysOf(view: View): (string | symbol)[] {
  if (DEV && currentReader() === undefined) throw selectorEnded('keys');
  view.place.noteKeys();
  return Reflect.ownKeys(view.raw);
}

const objectView: ProxyHandler<View> = {
  ...common,
  get: (view, key) => (typeof key === 'string' ? readOfView(view, key) : key === NODE ? view : undefined),
  has: hasInView,
  ownKeys: keysOf,
  getOwnPropertyDescriptor: describeView,
  getPrototypeOf: () => Object.prototype,
};

const arrayView: ProxyHandler<View[]> = {
  ...common,
  get(target, key) {
    const view = target[0];
    if (key === NODE) return view;
    if (typeof key === 'string' && isDigit(key)) return readOfView(view, key);
    const raw = view.raw as unknown[];
    const inherited = key in Array.prototype && key !== 'length';
    if (!inherited) return typeof key === 'string' ? readOfView(view, key) : undefined;
    const method = (raw as unknown as Record<PropertyKey, unknown>)[key];
    if (key === 'includes' || key === 'indexOf' || key === 'lastIndexOf') return lookFor(view, key);
    // A method that goes through a long array reads it as a whole, at the speed of the array itself.
    const reader = currentReader();
    if (
      typeof method === 'function' &&
      raw.length > MOST_PARTS &&
      key !== 'at' &&
      reader &&
      view.place.collapsed(reader.run, raw.length)
    ) {
      return method.bind(raw) as unknown;
    }
    return listReads[key === Symbol.iterator ? 'values' : (key as string)] ?? method;
  },
  has: (target, key) => hasInView(target[0], key),
  ownKeys: (target) => keysOf(target[0]),
  getOwnPropertyDescriptor: (target, key) => describeView(target[0], key),
};

/** Looks for an item by the object that it is, or by its stand-in; depends on the whole list. */
function lookFor({ raw, place }: View, method: 'includes' | 'indexOf' | 'lastIndexOf') {
  return (item: unknown, ...from: number[]): unknown => {
    note(place);
    const view = typeof item === 'object' && item !== null ? (item as { [NODE]?: unknown })[NODE] : undefined;
    const look = (raw as unknown[])[method] as (...args: unknown[]) => unknown;
    return look.call(raw, view instanceof View ? view.raw : item, ...from);
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
 * A derived value as it leaves a selector: every stand-in in it is replaced by the state's own object, and having
 * handed it out counts as having read the whole of it.
 */
export function withoutStandIns(value: unknown, above?: Set<object>): unknown {
  if (typeof value !== 'object' || value === null) return value;
  const view = (value as { [NODE]?: unknown })[NODE];
  if (view instanceof View) {
    note(view.place);
    return view.raw;
  }
  // What has only items of a list of the state has no stand-ins in it: a long list is read as it is.
  if (!above && Array.isArray(value) && currentReader()?.reads((port) => port instanceof Place && port.hasAllOf(value)))
    return value;
  if (isKeyed(value)) return value[KEYED].resolved(value, (row) => withoutStandIns(row, above));
  const isEntries = isMap(value) || isSet(value);
  if ((!isEntries && !isContainer(value)) || above?.has(value)) return value;
  const inside = (part: unknown): unknown => withoutStandIns(part, (above ??= new Set()).add(value));
  return isEntries ? replaceEntries(value, inside) : replaceParts(value, inside);
}
