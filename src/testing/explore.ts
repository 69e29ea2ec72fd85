// Tries actions in every order, breadth first: the first broken rule that is found is one with the fewest actions before it.
import {
  badOption,
  checkOptions,
  definitionOf,
  encode,
  FloeError,
  isContainer,
  isKeyed,
  messageOf,
  Model,
  type Computed,
  put,
  type StoreDefinition,
} from '../core/internal.js';
import type { AnyAction, AnyStore, StateReader } from '../core/index.js';

/** An action to try, or a function that gives those to try in a state. */
export type Example = AnyAction | ((read: StateReader) => readonly AnyAction[]);

/** Options of `explore`. */
export interface ExploreOptions {
  /** The stores of the model, with their rules. */
  readonly stores: readonly AnyStore[];
  /** The actions that are tried in each state; a function gives those that make sense in it. It must be pure. */
  readonly examples: readonly Example[];
  /** At most so many actions, one after the other. Default: 6 */
  readonly steps?: number;
  /** At most so many different states. Default: 10,000 */
  readonly states?: number;
  /** Called after each state of which all actions were tried, with how many were and how many are known. Default: nothing is called. */
  readonly onState?: (done: number, known: number) => void;
}

/** What became of the actions of one type. */
export interface Tried {
  readonly type: string;
  /** How often it changed the state. */
  readonly applied: number;
  readonly unchanged: number;
  /** How often a change threw. */
  readonly failed: number;
  /** How often a rule did not hold after it. */
  readonly broke: number;
}

/** A rule that does not hold, or a change that throws, and a shortest way there. */
export interface Finding {
  /** The rule, as `store.rule`; the message of the error of a change. */
  readonly what: string;
  /** What the rule threw, where it did. */
  readonly threw?: string;
  /** The actions from the beginning on; the last one brings it about. None where the stores begin like that. */
  readonly actions: readonly AnyAction[];
}

/** What `explore` found. */
export interface Exploration {
  /** How many different states were reached, the first one included. */
  readonly states: number;
  /** How many actions the farthest of them is away from the first one. */
  readonly steps: number;
  /** Whether that is all that can be reached: false where `steps` or `states` ended the search. */
  readonly complete: boolean;
  /** The types of actions that were tried, in the order in which they came. */
  readonly tried: readonly Tried[];
  /** The types of actions that the stores handle themselves and none of the examples is of. */
  readonly untried: readonly string[];
  /** Each rule that did not hold somewhere. */
  readonly broken: readonly Finding[];
  /** Each different error of a change; many models refuse actions by throwing. */
  readonly failures: readonly Finding[];
}

const DEFAULT_STEPS = 6;
const DEFAULT_STATES = 10_000;

type States = Readonly<Record<string, unknown>>;

/** A state that was reached. */
interface Reached {
  readonly states: States;
  readonly from: Reached | undefined;
  readonly action: AnyAction | undefined;
  readonly steps: number;
}

/**
 * Tries actions in every order, and gives the shortest way to each broken rule. Nothing is dispatched: no runtime, no task,
 * no interceptor takes part. States that break a rule are not gone on from.
 * @throws FLOE_BAD_OPTION, FLOE_UNKNOWN_ACTION for an example that no store handles
 * @example
 * const { broken } = explore({ stores, examples: [visitPlanned(visit), visitCancelled('v7'), berthClosed('N1')] });
 * expect(broken).toEqual([]);
 */
export function explore(options: ExploreOptions): Exploration {
  checkOptions('explore', options, ['stores', 'examples', 'steps', 'states', 'onState']);
  for (const name of ['stores', 'examples'] as const)
    if (!Array.isArray(options[name])) throw badOption('explore', name, 'takes a list');
  for (const name of ['steps', 'states'] as const) {
    const value = options[name];
    if (value !== undefined && !(Number.isInteger(value) && value > 0))
      throw badOption('explore', name, 'takes a whole number from 1 on');
  }
  return new Exploring(options).run();
}

class Exploring {
  private readonly stores: readonly StoreDefinition[];
  private readonly names: readonly string[];
  private readonly model: Model;
  private readonly known = new Set<string>();
  private readonly queue: Reached[] = [];
  private readonly tried = new Map<string, { -readonly [K in keyof Tried]: Tried[K] }>();
  private readonly broken = new Map<string, Finding>();
  private readonly failures = new Map<string, Finding>();
  private readonly numbers = new Map<string, number>();
  private readonly numbersOfParts = new WeakMap<object, number>();

  constructor(private readonly options: ExploreOptions) {
    this.stores = options.stores.map((store) => definitionOf(store));
    this.names = this.stores.map(({ name }) => name);
    this.model = new Model(this.stores);
  }

  run(): Exploration {
    const { steps = DEFAULT_STEPS, states = DEFAULT_STATES, onState } = this.options;
    const begin: Record<string, unknown> = {};
    for (const store of this.stores) put(begin, store.name, store.begin());
    const first: Reached = { states: begin, from: undefined, action: undefined, steps: 0 };
    this.known.add(this.keyOf(begin));
    let complete = true;
    if (!this.breaks(first, this.stores)) this.queue.push(first);
    let next = 0;
    // The queue grows while it is gone through.
    for (; next < this.queue.length; next++) {
      const reached = this.queue[next];
      if (reached.steps === steps) break;
      for (const action of this.actionsIn(reached.states)) {
        const after = this.apply(reached, action);
        if (!after) continue;
        const key = this.keyOf(after.states);
        if (this.known.has(key)) continue;
        if (this.queue.length >= states) {
          complete = false;
          continue;
        }
        this.known.add(key);
        this.queue.push(after);
      }
      onState?.(next + 1, this.queue.length);
    }
    // The farthest states: whether any of them leads on.
    complete &&= !this.queue.slice(next).some((reached) => this.leadsOn(reached));
    const handled = new Set(this.stores.flatMap((store) => [...store.changes.keys()]));
    return {
      states: this.queue.length,
      steps: this.queue.at(-1)?.steps ?? 0,
      complete,
      tried: [...this.tried.values()],
      untried: [...handled].filter((type) => !this.tried.has(type)),
      broken: [...this.broken.values()],
      failures: [...this.failures.values()],
    };
  }

  private *actionsIn(states: States): Iterable<AnyAction> {
    const read = ((store: AnyStore) => states[definitionOf(store).name]) as StateReader;
    for (const example of this.options.examples)
      if (typeof example === 'function') yield* example(read);
      else yield example;
  }

  /** Whether an action leads from a state to one that is not known, or to a broken rule. */
  private leadsOn({ states }: Reached): boolean {
    for (const action of this.actionsIn(states)) {
      try {
        const after = withChanges(states, this.model.apply(action, states));
        if (after !== states && !this.known.has(this.keyOf(after))) return true;
      } catch {
        // It leads nowhere.
      }
    }
    return false;
  }

  /** What an action makes of a state; nothing where it changes nothing, fails, or breaks a rule. */
  private apply(from: Reached, action: AnyAction): Reached | undefined {
    let tally = this.tried.get(action.type);
    if (!tally)
      this.tried.set(action.type, (tally = { type: action.type, applied: 0, unchanged: 0, failed: 0, broke: 0 }));
    let states: States;
    let touched: StoreDefinition[];
    try {
      const computed = this.model.apply(action, from.states);
      if (computed.changed.length === 0) {
        tally.unchanged++;
        return undefined;
      }
      states = withChanges(from.states, computed);
      touched = computed.changed.map(({ store }) => store);
    } catch (error) {
      if (error instanceof FloeError && error.code === 'FLOE_UNKNOWN_ACTION') throw error;
      tally.failed++;
      const what = messageOf(error);
      if (!this.failures.has(what)) this.failures.set(what, { what, actions: wayTo(from, action) });
      return undefined;
    }
    const reached = { states, from, action, steps: from.steps + 1 };
    if (this.breaks(reached, touched)) {
      tally.broke++;
      this.known.add(this.keyOf(states));
      return undefined;
    }
    tally.applied++;
    return reached;
  }

  /** Whether a rule of one of these stores does not hold. */
  private breaks({ states, from, action }: Reached, stores: readonly StoreDefinition[]): boolean {
    let isBroken = false;
    for (const store of stores)
      for (const { name, holds } of store.invariants) {
        let threw: string | undefined;
        try {
          if (holds(states[store.name] as never)) continue;
        } catch (error) {
          threw = messageOf(error);
        }
        isBroken = true;
        if (this.broken.has(name)) continue;
        const actions = action ? wayTo(from, action) : [];
        this.broken.set(name, { what: name, ...(threw !== undefined && { threw }), actions });
      }
    return isBroken;
  }

  private keyOf(states: States): string {
    return this.names.map((name) => this.numberOf(states[name])).join();
  }

  /** A number for equal data. What two states share is gone through once, and kept once. */
  private numberOf(value: unknown): number {
    if (typeof value !== 'object' || value === null) return this.numberFor(JSON.stringify(encode(value)));
    let number = this.numbersOfParts.get(value);
    if (number === undefined) this.numbersOfParts.set(value, (number = this.numberFor(this.textOf(value))));
    return number;
  }

  /** Text that is equal for equal data; parts are numbers. */
  private textOf(value: object): string {
    const parts = (entries: Iterable<readonly [string, unknown]>): string =>
      Array.from(entries, ([key, part]) => `${JSON.stringify(key)}:${this.numberOf(part)}`).join();
    if (Array.isArray(value)) return `[${value.map((part) => this.numberOf(part)).join()}]`;
    if (isKeyed(value)) return `table ${parts(value)}`;
    return isContainer(value) ? `{${parts(Object.entries(value))}}` : JSON.stringify(encode(value));
  }

  private numberFor(text: string): number {
    let number = this.numbers.get(text);
    if (number === undefined) this.numbers.set(text, (number = this.numbers.size));
    return number;
  }
}

/** A state tree after changes; the same one where there are none. */
function withChanges(states: States, { changed }: Computed): States {
  if (changed.length === 0) return states;
  const next = { ...states };
  for (const { store, after } of changed) put(next, store.name, after);
  return next;
}

function wayTo(from: Reached | undefined, last: AnyAction): AnyAction[] {
  const actions = [last];
  for (let at = from; at?.action; at = at.from) actions.unshift(at.action);
  return actions;
}
