// Secrets stay out of what is recorded: a marker stands in their place, in states, payloads, arguments and messages.
import type { AnyAction, Patch, PatchOperation, RunNote } from '../core/index.js';
import {
  encode,
  hasOwn,
  hasPart,
  isBranch,
  isContainer,
  isDate,
  isKeyed,
  isMap,
  isSet,
  keyedMaker,
  type Keyed,
  KEYED,
  nearest,
  parsePointer,
  partOf,
  pointerTo,
  put,
  sameData,
  type Touches,
} from '../core/internal.js';
import { badRedaction, redactsNothing } from './errors.js';
import type { NotedInteraction } from './interactions.js';
import type { Step, StepInMaking } from './step.js';
import type { States } from './timeline.js';

/** What stands where something is not to be seen. */
export const REDACTED = '(redacted)';
/**
 * What stands elsewhere in place of a text that stands, or stood, at a redacted place. Numbered, so that two keys never become
 * one, and so that this runtime knows it again.
 */
const numbered = (secret: number): string => `(redacted ${secret})`;
const NUMBERED = /\(redacted ([0-9]+)\)/g;

/** Whether something in data was not to be seen. */
export const holdsRedacted = (value: unknown): boolean => JSON.stringify(encode(value) ?? null).includes('(redacted');

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

/** Texts that are shorter are not told from others, in messages and elsewhere. */
const LEAST_IN_MESSAGES = 3;
const LEAST = 8;

/** What is redacted of a value and of its parts. */
class Rule {
  /** The value itself. */
  whole = false;
  /** What stands there is a secret elsewhere, too. */
  learns = false;
  /** Every part of it. */
  any: Rule | undefined;
  readonly parts = new Map<string, Rule>();
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
    if (key === ANY) (this.any ??= new Rule(this.isMessage)).add(rest, learns);
    else {
      let part = this.parts.get(key);
      if (!part) this.parts.set(key, (part = new Rule(this.isMessage)));
      part.add(rest, learns);
    }
  }

  /** The rules of a part of an object or a table. */
  *of(key: string): Iterable<Rule> {
    if (this.any) yield this.any;
    const part = this.parts.get(key);
    if (part) yield part;
  }

  /** The rules of the items of a list. Where an index was written, all items are meant: they move. */
  ofItem(index: number): Iterable<Rule> {
    if (this.isMessage) return this.of(String(index));
    return (this.items ??= [
      ...(this.any ? [this.any] : []),
      ...[...this.parts].flatMap(([key, rule]) => (isIndex(key) ? [rule] : [])),
    ]);
  }
  private items: readonly Rule[] | undefined;
  get hasItems(): boolean {
    return this.any !== undefined || [...this.parts.keys()].some(isIndex);
  }

  /** The keys of parts of a value that may be redacted. */
  keysIn(value: object): Iterable<string> {
    if (!this.any) return this.parts.keys();
    return isKeyed(value) ? value.keys() : Object.keys(value);
  }
}

const isIndex = (key: string): boolean => /^\d+$/.test(key);

export class Redaction {
  /** The redacted places of the state tree; those of copies of stores as well, once these have joined. */
  places: readonly string[];
  /** Nothing is redacted. */
  readonly none: boolean;
  private readonly root = new Rule();
  private readonly rules = new Map<string, Rule | undefined>();
  private readonly byAction: ReadonlyMap<string, Rule>;
  private readonly byTask: ReadonlyMap<string, Rule>;
  /** The live states of the stores with redacted places. */
  private readonly live = new Map<string, unknown>();
  /** All texts that ever stood at a redacted place, and their numbers. */
  private readonly secrets = new Map<string, number>();
  /** Those that are looked for everywhere, the longest first: one may be a part of another. */
  private long: readonly string[] = [];
  /** What the step that is being made brought to redacted places: also numbers, dates and short texts. */
  private readonly arrived = new Set<string>();
  /** Data without secrets, by what it was; and what data was, by what it became. */
  private freeMemo = new WeakMap<object, object>();
  private shownMemo = new WeakMap<object, object>();
  private readonly originals = new WeakMap<object, object>();
  private readonly concealed = new WeakMap<object, object>();
  /** By name of a copy of a store: the names of what it is a copy of. */
  private readonly originalsOf = new Map<string, readonly string[]>();
  /** The stores that `redact.state` names without a `*`. */
  private readonly named: readonly string[];

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
  private ruleOf(store: string): Rule | undefined {
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

  /** The rule of an action or a task: that of its type, or of the type that it is a copy of. */
  private byType(rules: ReadonlyMap<string, Rule>, type: string): Rule | undefined {
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

  // ---- what can be redacted ----

  /**
   * Looks whether the places of a store can be there.
   * @param state that it begins with
   * @throws FLOE_BAD_REDACTION for an index of a list
   * @returns the problems with places at which nothing can stand
   */
  check(store: string, state: unknown): Error[] {
    const problems: Error[] = [];
    const look = (value: unknown, rule: Rule, path: readonly string[]): void => {
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

  // ---- states ----

  /** The state of a store as it may be recorded. */
  conceal(store: string, state: unknown): unknown {
    const rule = this.ruleOf(store);
    return this.free(rule ? this.without(state, rule) : state, true);
  }

  /** Remembers what stands at the redacted places of a store. */
  learnFrom(store: string, state: unknown): void {
    const rule = this.ruleOf(store);
    if (rule) this.without(state, rule);
  }

  /** A step is about to be made: nothing has come to a redacted place with it so far. */
  beginStep(): void {
    this.arrived.clear();
  }

  /** Notes what a step brings to the redacted places of a store: it is not to be seen in the payload that brings it. */
  arrive(store: string, before: unknown, after: unknown): void {
    const rule = this.ruleOf(store);
    if (rule) this.arriveAt(rule, before, after);
  }

  private arriveAt(rule: Rule, before: unknown, after: unknown): void {
    if (rule.whole) for (const mark of marksOf(before, after)) this.arrived.add(mark);
    else if (!Object.is(before, after))
      for (const [key, was, is] of changedParts(before, after, rule))
        for (const one of Array.isArray(after) ? rule.ofItem(Number(key)) : rule.of(key)) this.arriveAt(one, was, is);
  }

  private withoutArrived(value: unknown): unknown {
    const mark = markOf(value);
    if (mark !== undefined) return this.arrived.has(mark) ? REDACTED : value;
    if (typeof value !== 'object' || value === null) return value;
    return partwise(
      value,
      (part) => this.withoutArrived(part),
      (key) => key,
    );
  }

  private without(value: unknown, rule: Rule): unknown {
    if (rule.whole) {
      if (rule.learns) this.learn(value);
      return REDACTED;
    }
    if (!isBranch(value)) return value;
    const known = rule.memo.get(value);
    if (known) return known;
    const result = isKeyed(value)
      ? this.tableWithout(value, rule)
      : Array.isArray(value)
        ? this.listWithout(value, rule)
        : this.objectWithout(value, rule);
    rule.memo.set(value, result);
    if (result !== value) {
      this.originals.set(result, value);
      this.concealed.set(value, result);
    }
    return result;
  }

  private partWithout(part: unknown, rules: Iterable<Rule>): unknown {
    let result = part;
    for (const rule of rules) result = this.without(result, rule);
    return result;
  }

  private objectWithout(value: Record<string, unknown>, rule: Rule): object {
    let result = value;
    for (const key of rule.keysIn(value)) {
      if (!hasOwn(value, key)) continue;
      const part = this.partWithout(value[key], rule.of(key));
      if (Object.is(part, value[key])) continue;
      if (result === value) result = { ...value };
      put(result, key, part);
    }
    return result;
  }

  private listWithout(value: unknown[], rule: Rule): unknown[] {
    if (!rule.hasItems) return value;
    const result = value.map((item, i) => this.partWithout(item, rule.ofItem(i)));
    return result.every((item, i) => Object.is(item, value[i])) ? value : result;
  }

  private tableWithout(table: Keyed, rule: Rule): Keyed {
    const kind = table[KEYED];
    const conceal = (result: Keyed, key: string): Keyed => {
      const row = table.get(key);
      const part = this.partWithout(row, rule.of(key));
      return Object.is(part, result.get(key)) ? result : kind.with(result, key, part);
    };
    let { last } = rule;
    let result: Keyed;
    if (last) {
      // What did not change since the last time was concealed then.
      const { changed, removed, added } = kind.difference(last.table, table);
      // A row that comes elsewhere than at the end has to be put in its place.
      if (added.some((key, i) => kind.keyAfter(table, key) !== (added[i + 1] as string | undefined))) last = undefined;
      else {
        result = last.concealed;
        for (const key of removed) result = kind.without(result, key);
        for (const key of [...changed, ...added]) {
          result = kind.with(result, key, table.get(key));
          result = conceal(result, key);
        }
      }
    }
    if (!last) {
      result = table;
      for (const key of rule.keysIn(table)) if (table.has(key)) result = conceal(result, key);
    }
    rule.last = { table, concealed: result! };
    return result!;
  }

  /** What drafts know, of the states as they are recorded. */
  touches(touches: Touches): Touches {
    const last = (known: WeakMap<object, object>, value: object): object => {
      let found = value;
      for (let next = known.get(found); next; next = known.get(found)) found = next;
      return found;
    };
    const original = (value: object): object => last(this.originals, value);
    return {
      get: (after) => {
        const touch = touches.get(typeof after === 'object' && after !== null ? original(after) : after);
        return (
          touch && {
            // A key that holds a secret is another one in what is recorded.
            keys: touch.keys?.map((key) => this.textWithout(key, true)),
            moved: touch.moved,
            base: last(this.concealed, touch.base) as typeof touch.base,
          }
        );
      },
      wasCopied: (before) => touches.wasCopied?.(original(before)),
    };
  }

  /** Notes the live state of a store, for what stands outside time. */
  noteLive(store: string, state: unknown): void {
    if (this.covers(store)) this.live.set(store, state);
  }

  /** States as the application has them: redacted places stand outside time and hold what they hold now. */
  reveal(states: States): States {
    if (this.live.size === 0 && this.long.length === 0) return states;
    const result: Record<string, unknown> = { ...states };
    if (this.long.length > 0) for (const name of Object.keys(result)) result[name] = this.shown(result[name]);
    for (const [store, live] of this.live)
      if (hasOwn(result, store)) result[store] = this.with(result[store], live, this.ruleOf(store)!);
    return result;
  }

  /** A recorded value with what stands at its redacted places now. */
  private with(value: unknown, live: unknown, rule: Rule): unknown {
    if (rule.whole) return live;
    if (!isBranch(value) || !isBranch(live)) return value;
    if (Array.isArray(value)) return Array.isArray(live) ? this.listWith(value, live, rule) : value;
    let result = value;
    const set = (key: string, part: unknown): void => {
      if (isKeyed(result)) result = result[KEYED].with(result, key, part);
      else {
        if (result === value) result = { ...value };
        put(result, key, part);
      }
    };
    for (const key of rule.keysIn(value)) {
      const isLive = hasPart(live, key);
      for (const part of rule.of(key)) {
        if (!hasPart(value, key)) {
          if (part.whole && isLive && part !== rule.any) set(key, partOf(live, key));
        } else if (isLive) {
          const next = this.with(partOf(result, key), partOf(live, key), part);
          if (!Object.is(next, partOf(result, key))) set(key, next);
        } else if (part.whole && part !== rule.any) {
          if (isKeyed(result)) result = result[KEYED].without(result, key);
          else {
            if (result === value) result = { ...value };
            Reflect.deleteProperty(result, key);
          }
        }
      }
    }
    return result;
  }

  /** Items are found by what of them is recorded: at the same place, or else the only one like it. */
  private listWith(value: unknown[], live: unknown[], rule: Rule): unknown[] {
    const rules = [...rule.ofItem(0)];
    if (rules.length === 0) return value;
    const recorded = live.map((item) => this.partWithout(item, rules));
    const places = new Map(recorded.map((item, i) => [item, i]));
    const placeOf = (item: unknown, i: number): number | undefined => {
      if (i < recorded.length && sameData(recorded[i], item)) return i;
      if (places.has(item)) return places.get(item);
      const alike = recorded.flatMap((one, j) => (sameData(one, item) ? [j] : []));
      return alike.length === 1 ? alike[0] : undefined;
    };
    return value.map((item, i) => {
      const place = placeOf(item, i);
      return place === undefined ? item : rules.reduce((part, one) => this.with(part, live[place], one), item);
    });
  }

  // ---- actions, runs and messages ----

  /** An action as it may be recorded; the same one where nothing of it is secret. */
  action(action: AnyAction): AnyAction {
    if (!('payload' in action)) return action;
    const rule = this.byType(this.byAction, action.type);
    const payload = this.free(rule ? this.without(action.payload, rule) : action.payload, false);
    return payload === action.payload ? action : { type: action.type, payload };
  }

  /** The action of the step that is being made, also without what it brought to redacted places. */
  actionOfStep(action: AnyAction): AnyAction {
    const recorded = this.action(action);
    if (this.arrived.size === 0) return recorded;
    const payload = this.withoutArrived(recorded.payload);
    return payload === recorded.payload ? recorded : { type: action.type, payload };
  }

  /** What the user did, without secrets in what it names. */
  interaction<T extends Pick<NotedInteraction, 'name' | 'role' | 'key'>>(what: T): T {
    const { name, role, key } = what;
    return {
      ...what,
      name: this.message(name),
      ...(role !== undefined && { role: this.message(role) }),
      ...(key !== undefined && { key: this.message(key) }),
    };
  }

  run(run: RunNote): RunNote {
    const rule = this.byType(this.byTask, run.task);
    const args = this.free(rule ? this.without(run.args, rule) : run.args, false);
    if (args === run.args) return run;
    return { ...run, args: Array.isArray(args) ? (args as readonly unknown[]) : [REDACTED] };
  }

  /** The status of a task, whose arguments and error may hold what is secret elsewhere. */
  status(state: unknown): unknown {
    return this.free(state, false);
  }

  /** Plain data without any text that stands, or stood, at a redacted place, also inside of longer ones. */
  freed<T>(data: T): T {
    return this.free(data, false) as T;
  }

  /** A step as it may leave the process: what became a secret since it was recorded is taken out. */
  freedStep(step: Step): Step {
    if (this.long.length === 0) return step;
    const { action, run, changes, undo, given, reason, stack, problems, note } = step;
    const recorded = action && this.action(action);
    const message = (text: string): string => this.message(text, LEAST);
    const next: StepInMaking = { ...step, changes: this.patch(changes), undo: this.patch(undo) };
    if (given) next.given = this.patch(given);
    if (recorded && recorded !== action) {
      next.action = recorded;
      next.onTrust = true;
    }
    if (run) next.run = this.run(run);
    if (reason !== undefined) next.reason = message(reason);
    if (stack !== undefined) next.stack = message(stack);
    if (problems) next.problems = problems.map(message);
    if (note !== undefined) next.note = message(note);
    return next;
  }

  // ---- files ----

  /** A step of a file, as it would have been recorded here. */
  stepOfFile(step: Step): Step {
    const { action, run, changes, undo, given, reason, stack, problems, note } = step;
    const next: StepInMaking = { ...step, changes: this.concealedPatch(changes), undo: this.concealedPatch(undo) };
    if (given) next.given = this.concealedPatch(given);
    const recorded = action && this.action(action);
    if (recorded && recorded !== action) {
      next.action = recorded;
      next.onTrust = true;
    }
    if (run) next.run = this.run(run);
    if (reason !== undefined) next.reason = this.message(reason);
    if (stack !== undefined) next.stack = this.message(stack);
    if (problems) next.problems = problems.map((problem) => this.message(problem));
    if (note !== undefined) next.note = this.message(note);
    return next;
  }

  /** A patch of a file with nothing that stands at redacted places; learns what it takes out. */
  private concealedPatch(patch: Patch): Patch {
    const next: PatchOperation[] = [];
    for (const operation of patch) {
      const [store, ...keys] = parsePointer(operation.path);
      const own = this.ruleOf(store);
      let rules = own ? [own] : [];
      let isInside = false;
      for (const key of keys) {
        if (rules.some(({ whole }) => whole)) isInside = true;
        rules = rules.flatMap((rule) => [...(isIndex(key) ? rule.ofItem(Number(key)) : []), ...rule.of(key)]);
      }
      const value = 'value' in operation ? operation.value : undefined;
      const isWhole = rules.some(({ whole }) => whole);
      if (isInside || isWhole) this.learn(value);
      // The marker stands there, whatever it was.
      if (isInside || (isWhole && operation.op === 'replace')) continue;
      next.push('value' in operation ? { ...operation, value: this.partWithout(value, rules) } : operation);
    }
    return next;
  }

  /** States as they may leave the process. */
  freedStates(states: States): States {
    return this.free(states, true) as States;
  }

  private patch(patch: Patch): Patch {
    const text = (key: string): string => this.textWithout(key, true);
    return patch.map((operation) => {
      const { before } = operation as { readonly before?: string };
      return {
        ...operation,
        path: pointerTo(parsePointer(operation.path).map(text)),
        ...('value' in operation && { value: this.free(operation.value, true) }),
        ...(before !== undefined && { before: text(before) }),
      };
    });
  }

  /**
   * Plain data without the texts that stand, or stood, at redacted places.
   * @param isState in states texts become markers that are known again; in a message nothing has to be
   */
  private free(value: unknown, isState: boolean): unknown {
    if (this.long.length === 0) return value;
    if (typeof value === 'string') return this.textWithout(value, isState);
    if (typeof value !== 'object' || value === null || isDate(value)) return value;
    if (!isState) return this.freeParts(value, false);
    const known = this.freeMemo.get(value);
    if (known) return known;
    const result = this.freeParts(value, true) as object;
    this.freeMemo.set(value, result);
    if (result !== value) {
      this.originals.set(result, value);
      this.concealed.set(value, result);
      this.shownMemo.set(result, value);
    }
    return result;
  }

  private freeParts(value: object, isState: boolean): unknown {
    return partwise(
      value,
      (part) => this.free(part, isState),
      (key) => this.textWithout(key, true),
    );
  }

  /** States of this runtime again, with the texts for which markers stand. */
  private shown(value: unknown): unknown {
    if (typeof value === 'string') return this.textShown(value);
    if (typeof value !== 'object' || value === null || isDate(value)) return value;
    const known = this.shownMemo.get(value);
    if (known) return known;
    const result = partwise(
      value,
      (part) => this.shown(part),
      (key) => this.textShown(key),
    ) as object;
    this.shownMemo.set(value, result);
    return result;
  }

  private textShown(text: string): string {
    if (!text.includes('(redacted ')) return text;
    return text.replace(
      NUMBERED,
      (marker, number) => this.long.find((one) => this.secrets.get(one) === Number(number)) ?? marker,
    );
  }

  private textWithout(text: string, isState: boolean): string {
    let result = text;
    if (text.length >= LEAST)
      for (const secret of this.long)
        if (result.includes(secret))
          result = result.replaceAll(secret, isState ? numbered(this.secrets.get(secret)!) : REDACTED);
    return result;
  }

  private learnText(text: string, isText: boolean): void {
    if (text.length < LEAST_IN_MESSAGES || text.startsWith('(redacted') || this.secrets.has(text)) return;
    this.secrets.set(text, this.secrets.size + 1);
    if (!isText || text.length < LEAST) return;
    this.long = [...this.long, text].sort((a, b) => b.length - a.length);
    // Nothing was free of it.
    this.freeMemo = new WeakMap();
    this.shownMemo = new WeakMap();
  }

  /** A message without any text that stands, or stood, at a redacted place. */
  message(text: string, least = LEAST_IN_MESSAGES): string {
    let result = text;
    for (const secret of this.secrets.keys())
      if (secret.length >= least && result.includes(secret)) result = result.replaceAll(secret, REDACTED);
    return result;
  }

  /** Remembers the texts and numbers in a value that is not to be seen. */
  private learn(value: unknown): void {
    if (typeof value === 'number') this.learnText(String(value), false);
    else if (typeof value === 'string') {
      if (!this.secrets.has(value)) for (const form of formsOf(value)) this.learnText(form, true);
    } else if (isKeyed(value))
      for (const [key, row] of value) {
        this.learn(key);
        this.learn(row);
      }
    else if (isMap(value)) for (const entry of value) this.learn([...entry]);
    else if (isSet(value)) this.learn([...value]);
    else if (isContainer(value)) for (const part of Object.values(value)) this.learn(part);
  }
}

/** How a text may stand in another one: as it is, as JSON has it (RFC 8259), and as an address has it (RFC 3986, and forms). */
function formsOf(text: string): Iterable<string> {
  const forms = new Set([text, JSON.stringify(text).slice(1, -1)]);
  // Half of a surrogate pair has no form in an address.
  if (!/\p{Cs}/u.test(text)) {
    const inAddress = encodeURIComponent(text);
    forms.add(inAddress).add(inAddress.replaceAll('%20', '+')).add(encodeURI(text));
  }
  return forms;
}

/** What tells a number, a date or a text from others; nothing for what says nothing. */
function markOf(value: unknown): string | undefined {
  if (typeof value === 'number' || typeof value === 'string' || typeof value === 'bigint')
    return `${typeof value} ${value}`;
  return isDate(value) ? `date ${value.getTime()}` : undefined;
}

/** The numbers, dates and texts that a value has, but not a part of it that it had before. */
function* marksOf(before: unknown, after: unknown): Iterable<string> {
  const mark = markOf(after);
  if (mark !== undefined) yield mark;
  else if (!Object.is(before, after)) for (const [, was, is] of changedParts(before, after)) yield* marksOf(was, is);
}

/** The parts of a value that may be others than they were: what both share costs nothing, but in lists and objects. */
function* changedParts(
  before: unknown,
  after: unknown,
  rule?: Rule,
): Iterable<readonly [key: string, was: unknown, is: unknown]> {
  if (isKeyed(after)) {
    const table = isKeyed(before) ? before : undefined;
    const difference = table && after[KEYED].difference(table, after);
    for (const key of difference ? [...difference.changed, ...difference.added] : after.keys())
      yield [key, table?.get(key), after.get(key)];
  } else if (isMap(after) || isSet(after)) {
    for (const part of isMap(after) ? after.values() : after) yield ['', undefined, part];
  } else if (Array.isArray(after)) {
    const items: readonly unknown[] = Array.isArray(before) ? before : [];
    const known = new Set(items);
    for (const [i, item] of after.entries()) if (!known.has(item)) yield [String(i), items[i], item];
  } else if (isContainer(after)) {
    const parts = isContainer(before) ? before : {};
    for (const key of rule?.keysIn(after) ?? Object.keys(after))
      if (hasOwn(after, key)) yield [key, partOf(parts, key), partOf(after, key)];
  }
}

/** The same data with other parts, and other keys; the same object where none is another. */
function partwise(value: object, part: (part: unknown) => unknown, key: (key: string) => string): unknown {
  if (isKeyed(value)) {
    const rows = Array.from(value, ([name, row]) => [key(name), part(row)] as const);
    const isSame = rows.every(([name, row]) => value.has(name) && Object.is(value.get(name), row));
    return isSame ? value : keyedMaker.make!(rows);
  }
  const each = (one: unknown): unknown => (typeof one === 'string' ? key(one) : part(one));
  if (isMap(value)) {
    const entries = Array.from(value, ([name, one]) => [each(name), part(one)] as const);
    const isSame = [...value].every(
      ([name, one], i) => Object.is(name, entries[i][0]) && Object.is(one, entries[i][1]),
    );
    return isSame ? value : new Map(entries);
  }
  if (isSet(value)) {
    const items = Array.from(value, each);
    return [...value].every((item, i) => Object.is(item, items[i])) ? value : new Set(items);
  }
  if (!isContainer(value)) return value;
  if (Array.isArray(value)) {
    const items = value.map(part);
    return items.every((item, i) => Object.is(item, value[i])) ? value : items;
  }
  const result = {};
  let isSame = true;
  for (const name of Object.keys(value)) {
    const [next, one] = [key(name), part(partOf(value, name))];
    if (next !== name || !Object.is(one, partOf(value, name))) isSame = false;
    put(result, next, one);
  }
  return isSame ? value : result;
}

function rulesOf(all: Readonly<Record<string, readonly string[]>>): ReadonlyMap<string, Rule> {
  return new Map(
    Object.entries(all).map(([name, pointers]) => {
      const rule = new Rule(true);
      for (const pointer of pointers) rule.add(parsePointer(pointer));
      return [name, rule];
    }),
  );
}

/** One rule that says what several say. */
function joined(rules: readonly Rule[]): Rule | undefined {
  if (rules.length < 2) return rules[0];
  const result = new Rule();
  const copy = (rule: Rule, way: readonly string[]): void => {
    if (rule.whole) result.add(way, rule.learns);
    if (rule.any) copy(rule.any, [...way, ANY]);
    for (const [key, part] of rule.parts) copy(part, [...way, key]);
  };
  for (const rule of rules) copy(rule, []);
  return result;
}
