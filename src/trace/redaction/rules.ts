// Which places are redacted: of the state tree, of payloads and of arguments.
import {
  hasOwn,
  isBranch,
  isContainer,
  isKeyed,
  type Keyed,
  nearest,
  parsePointer,
  partOf,
  pointerTo,
} from '../../core/internal.js';
import { badRedaction, redactsNothing } from '../errors.js';

/** What never enters a trace: JSON Pointers (RFC 6901), in which a segment `*` stands for any key or index. */
export interface RedactOptions {
  /**
   * Into the state tree; the first key is a store's name: `['/session/token', '/crew/pins/*']`. `'/session'` is
   * the whole of a store, `''` all of them. Default: none.
   */
  readonly state?: readonly string[];
  /** Into payloads, by action type: `{ 'session.signedIn': ['/token'] }`; `''` is the whole payload. Default: none. */
  readonly actions?: Readonly<Record<string, readonly string[]>>;
  /** Into lists of arguments, by task name: `{ 'session.signIn': ['/1'] }`; `''` is all of them. Default: none. */
  readonly tasks?: Readonly<Record<string, readonly string[]>>;
}

const ANY = '*';

/** What is redacted of a value and of its parts. */
export class RedactionRule {
  /** The value itself. */
  whole = false;
  /** What stands there is a secret elsewhere, too. */
  learns = false;
  /** Every part of it. */
  any: RedactionRule | undefined;
  readonly parts = new Map<string, RedactionRule>();
  /** What was concealed before, by what it was: what did not change stays the same. */
  readonly memo = new WeakMap<object, object>();
  /** The last table that was concealed. */
  last: { readonly table: Keyed; readonly concealed: Keyed } | undefined;

  /** @param isMessage of payloads and arguments, which do not change: an index means the item that stands there */
  constructor(private readonly isMessage = false) {}

  add(keys: readonly string[], learns = true): void {
    if (keys.length === 0) {
      this.whole = true;
      this.learns ||= learns;
      return;
    }
    const [key, ...rest] = keys;
    if (key === ANY) (this.any ??= new RedactionRule(this.isMessage)).add(rest, learns);
    else {
      let part = this.parts.get(key);
      if (!part) this.parts.set(key, (part = new RedactionRule(this.isMessage)));
      part.add(rest, learns);
    }
  }

  /** The rules of a part of an object or a table. */
  *of(key: string): Iterable<RedactionRule> {
    if (this.any) yield this.any;
    const part = this.parts.get(key);
    if (part) yield part;
  }

  /** The rules of the items of a list. Where an index was written, all items are meant: they move. */
  ofItem(index: number): Iterable<RedactionRule> {
    if (this.isMessage) return this.of(String(index));
    return (this.items ??= [
      ...(this.any ? [this.any] : []),
      ...[...this.parts].flatMap(([key, rule]) => (isIndex(key) ? [rule] : [])),
    ]);
  }
  private items: readonly RedactionRule[] | undefined;
  get hasItems(): boolean {
    return this.any !== undefined || [...this.parts.keys()].some(isIndex);
  }

  /** The keys of parts of a value that may be redacted. */
  keysIn(value: object): Iterable<string> {
    if (!this.any) return this.parts.keys();
    return isKeyed(value) ? value.keys() : Object.keys(value);
  }
}

export const isIndex = (key: string): boolean => /^\d+$/.test(key);

export class RedactionRules {
  /** The redacted places of the state tree; those of copies of stores as well, once these have joined. */
  places: readonly string[];
  private readonly root = new RedactionRule();
  private readonly rules = new Map<string, RedactionRule | undefined>();
  private readonly byAction: ReadonlyMap<string, RedactionRule>;
  private readonly byTask: ReadonlyMap<string, RedactionRule>;
  /** By name of a copy of a store: the names of what it is a copy of. */
  private readonly originalsOf = new Map<string, readonly string[]>();
  /** The stores that `redact.state` names without a `*`. */
  private readonly named: readonly string[];
  /** Nothing is redacted. */
  readonly none: boolean;

  constructor({ state = [], actions = {}, tasks = {} }: RedactOptions = {}) {
    this.byAction = rulesOf(actions);
    this.byTask = rulesOf(tasks);
    const places = state.map(parsePointer);
    this.named = places.flatMap(([store]) => (store === undefined || store === ANY ? [] : [store]));
    for (const keys of places) this.root.add(keys.length === 0 ? [ANY] : keys);
    // The status of a task is kept by its arguments, and its error may name them.
    for (const task of this.byTask.keys())
      for (const keys of [
        [`${task}.status`, 'by'],
        [`${task}.status`, 'all', 'error'],
      ]) {
        this.root.add(keys, false);
        places.push(keys);
      }
    this.places = [...new Set(places.map((keys) => pointerTo(keys.length === 0 ? [ANY] : keys)))];
    this.none = places.length + this.byAction.size === 0;
  }

  /** What is redacted of the state of a store, if anything is. */
  ruleOf(store: string): RedactionRule | undefined {
    if (!this.rules.has(store)) this.rules.set(store, joined([...this.root.of(store)]));
    return this.rules.get(store);
  }

  /**
   * A copy of a store has joined: what is redacted of the store is redacted of its copy.
   * @param originals the names of the store, and of those that it is a copy of itself
   */
  copied(name: string, originals: readonly string[]): void {
    if (this.none || this.originalsOf.has(name)) return;
    this.originalsOf.set(name, originals);
    const rules = [name, ...originals].flatMap((one) => [...this.root.of(one)]);
    this.rules.set(name, joined(rules));
    const own = originals.flatMap((original) =>
      this.places
        .filter((place) => parsePointer(place)[0] === original)
        .map((place) => pointerTo([name, ...parsePointer(place).slice(1)])),
    );
    this.places = [...new Set([...this.places, ...own])];
  }

  /** What is redacted of the payloads of an action. */
  ofAction(type: string): RedactionRule | undefined {
    return this.byType(this.byAction, type);
  }

  /** What is redacted of the arguments of a task. */
  ofTask(name: string): RedactionRule | undefined {
    return this.byType(this.byTask, name);
  }

  /** The rule of an action or a task: that of its type, or of the type that it is a copy of. */
  private byType(rules: ReadonlyMap<string, RedactionRule>, type: string): RedactionRule | undefined {
    const own = rules.get(type);
    const at = type.indexOf('.');
    if (own || at < 0 || this.originalsOf.size === 0) return own;
    for (const original of this.originalsOf.get(type.slice(0, at)) ?? []) {
      const rule = rules.get(original + type.slice(at));
      if (rule) return rule;
    }
    return undefined;
  }

  /** Whether a part of the state of a store is redacted. */
  covers(store: string): boolean {
    return this.ruleOf(store) !== undefined;
  }

  /**
   * Looks whether the places of a store can be there.
   * @param state that it begins with
   * @throws FLOE_BAD_REDACTION for an index of a list
   * @returns the problems with places at which nothing can stand
   */
  check(store: string, state: unknown): Error[] {
    const problems: Error[] = [];
    const look = (value: unknown, rule: RedactionRule, path: readonly string[]): void => {
      if (Array.isArray(value) || (isContainer(value) && Object.keys(value).length > 0)) {
        for (const [key, part] of rule.parts) {
          const at = [...path, key];
          if (!Array.isArray(value)) {
            if (hasOwn(value, key)) look(partOf(value, key), part, at);
            else if (path.length === 1) problems.push(redactsNothing(pointerTo(at), key, Object.keys(value)));
          } else if (isIndex(key)) throw badRedaction(pointerTo(at), pointerTo([...path, ANY]));
          else problems.push(redactsNothing(pointerTo(at), key, [ANY]));
        }
        if (rule.any) for (const key of Object.keys(value)) look(partOf(value, key), rule.any, [...path, ANY]);
      } else if (!isBranch(value) && value !== null && value !== undefined)
        for (const key of rule.parts.keys()) problems.push(redactsNothing(pointerTo([...path, key]), key, []));
    };
    // Of a rule for all stores, not each has the place.
    const own = this.root.parts.get(store);
    if (own) look(state, own, [store]);
    return problems;
  }

  /** Names of stores and types of actions that look like misspelt ones. */
  checkNames(stores: readonly string[], types: readonly string[]): Error[] {
    const problems: Error[] = [];
    for (const store of this.named)
      if (!stores.includes(store) && nearest(store, stores) !== undefined)
        problems.push(redactsNothing(pointerTo([store]), store, stores));
    for (const type of this.byAction.keys())
      if (!types.includes(type) && nearest(type, types) !== undefined) problems.push(redactsNothing(type, type, types));
    return problems;
  }
}

function rulesOf(all: Readonly<Record<string, readonly string[]>>): ReadonlyMap<string, RedactionRule> {
  return new Map(
    Object.entries(all).map(([name, pointers]) => {
      const rule = new RedactionRule(true);
      for (const pointer of pointers) rule.add(parsePointer(pointer));
      return [name, rule];
    }),
  );
}

/** One rule that says what several say. */
function joined(rules: readonly RedactionRule[]): RedactionRule | undefined {
  if (rules.length < 2) return rules[0];
  const result = new RedactionRule();
  const copy = (rule: RedactionRule, way: readonly string[]): void => {
    if (rule.whole) result.add(way, rule.learns);
    if (rule.any) copy(rule.any, [...way, ANY]);
    for (const [key, part] of rule.parts) copy(part, [...way, key]);
  };
  for (const rule of rules) copy(rule, []);
  return result;
}
