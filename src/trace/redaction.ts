// Secrets stay out of what is recorded: a marker stands in their place, in states, payloads, arguments and messages.
import type { AnyAction, RunNote } from '../core/index.js';
import { hasOwn, hasPart, isBranch, isContainer, lookUp, partOf, pointerTo, put, shallowCopy } from '../core/plain.js';
import { isKeyed, KEYED } from '../core/keyed.js';
import { parsePointer } from '../core/pointer.js';
import type { States } from './timeline.js';

/** What stands where something is not to be seen. */
export const REDACTED = '(redacted)';

/** What never enters a trace: JSON Pointers (RFC 6901). */
export interface RedactOptions {
  /** Into the state tree; the first key is a store's name: `['/session/token']`. */
  readonly state?: readonly string[];
  /** Into payloads, by action type: `{ 'session.signedIn': ['/token'] }`; `''` is the whole payload. */
  readonly actions?: Readonly<Record<string, readonly string[]>>;
  /** Into lists of arguments, by task name: `{ 'session.signIn': ['/1'] }`; `''` is all of them. */
  readonly tasks?: Readonly<Record<string, readonly string[]>>;
}

type Keys = readonly string[];
/** Put at a place, it takes away what stands there. */
const ABSENT: unique symbol = Symbol('absent');

const partAt = (value: unknown, keys: Keys): unknown => {
  const found = lookUp(value, keys);
  return found ? found.value : ABSENT;
};

export class Redaction {
  /** The redacted places of the state tree. */
  readonly places: readonly string[];
  /** Nothing is redacted. */
  readonly none: boolean;
  private readonly byStore = new Map<string, Keys[]>();
  private readonly byAction: ReadonlyMap<string, readonly Keys[]>;
  private readonly byTask: ReadonlyMap<string, readonly Keys[]>;
  /** What stands at the redacted places of the live state, by store and place. */
  private readonly live = new Map<Keys, unknown>();

  constructor({ state = [], actions = {}, tasks = {} }: RedactOptions = {}) {
    const parsed = (all: Readonly<Record<string, readonly string[]>>): ReadonlyMap<string, readonly Keys[]> =>
      new Map(Object.entries(all).map(([name, pointers]) => [name, pointers.map(parsePointer)]));
    this.byAction = parsed(actions);
    this.byTask = parsed(tasks);
    for (const pointer of state) this.addState(parsePointer(pointer));
    // The status of a task is kept by its arguments, and its error may name them.
    for (const task of this.byTask.keys()) {
      this.addState([`${task}.status`, 'by']);
      this.addState([`${task}.status`, 'all', 'error']);
    }
    this.places = [...this.byStore].flatMap(([store, all]) => all.map((keys) => pointerTo([store, ...keys])));
    this.none = this.byStore.size + this.byAction.size + this.byTask.size === 0;
  }

  private addState([store = '', ...keys]: Keys): void {
    const known = this.byStore.get(store);
    if (known) known.push(keys);
    else this.byStore.set(store, [keys]);
  }

  /** The state of a store as it may be recorded. */
  conceal(store: string, state: unknown): unknown {
    let result = state;
    for (const keys of this.byStore.get(store) ?? []) result = replaceAt(result, keys, REDACTED);
    return result;
  }

  /** Notes the secrets of the live state of a store. */
  noteLive(store: string, state: unknown): void {
    for (const keys of this.byStore.get(store) ?? []) this.live.set(keys, partAt(state, keys));
  }

  /** States as the application has them: redacted places stand outside time and hold what they hold now. */
  reveal(states: States): States {
    if (this.byStore.size === 0) return states;
    const result: Record<string, unknown> = { ...states };
    for (const [store, all] of this.byStore) {
      if (!hasOwn(result, store)) continue;
      for (const keys of all)
        if (this.live.has(keys)) result[store] = replaceAt(result[store], keys, this.live.get(keys), true);
    }
    return result;
  }

  /** An action as it may be recorded; the same one where nothing of it is secret. */
  action(action: AnyAction): AnyAction {
    const places = this.byAction.get(action.type);
    if (!places || !('payload' in action)) return action;
    const payload = places.reduce((value: unknown, keys) => replaceAt(value, keys, REDACTED), action.payload);
    return payload === action.payload ? action : { type: action.type, payload };
  }

  run(run: RunNote): RunNote {
    const places = this.byTask.get(run.task);
    if (!places) return run;
    const args = places.reduce((value: unknown, keys) => replaceAt(value, keys, REDACTED), run.args);
    return { ...run, args: Array.isArray(args) ? (args as readonly unknown[]) : [REDACTED] };
  }

  /** A message without the secrets that are known now: those of the state, and of one action or list of arguments. */
  message(text: string, action?: AnyAction, run?: RunNote): string {
    const secrets: unknown[] = [...this.live.values()];
    for (const keys of (action && this.byAction.get(action.type)) ?? []) secrets.push(partAt(action!.payload, keys));
    for (const keys of (run && this.byTask.get(run.task)) ?? []) secrets.push(partAt(run!.args, keys));
    let result = text;
    for (const secret of secrets.flatMap(texts)) result = result.replaceAll(secret, REDACTED);
    return result;
  }
}

/** The texts and numbers in a value that are long enough to be told from others. */
function texts(value: unknown): string[] {
  if (typeof value === 'string' || typeof value === 'number') {
    const text = String(value);
    return text.length >= 3 ? [text] : [];
  }
  if (isKeyed(value)) return [...value].flatMap(([key, row]) => [key, ...texts(row)]);
  return isContainer(value) ? Object.values(value).flatMap(texts) : [];
}

/** The value with another one at a place; the same value where that place is not there, or holds the same already. */
function replaceAt(value: unknown, keys: Keys, part: unknown, mayAdd = false, depth = 0): unknown {
  if (depth === keys.length) return part;
  const key = keys[depth];
  const isThere = hasPart(value, key);
  const isLast = depth === keys.length - 1;
  if (!isBranch(value) || (!isThere && !(mayAdd && isLast && part !== ABSENT && !Array.isArray(value)))) return value;
  const before = partOf(value, key);
  const after = replaceAt(before, keys, part, mayAdd, depth + 1);
  if (isThere && Object.is(before, after)) return value;
  if (isKeyed(value)) return after === ABSENT ? value[KEYED].without(value, key) : value[KEYED].with(value, key, after);
  if (after === ABSENT && Array.isArray(value)) return value;
  const copy = shallowCopy(value) as Record<string, unknown>;
  if (after === ABSENT) delete copy[key];
  else put(copy, key, after);
  return copy;
}
