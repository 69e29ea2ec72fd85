// Tries actions in every order, breadth first: the first broken rule that is found is one with the fewest actions before it.
import {
  badOption,
  checkOptions,
  definitionOf,
  eachBroken,
  FloeError,
  messageOf,
  Model,
  put,
  type StoreDefinition,
  withChanges,
} from '../core/internal.js';
import type { AnyAction, AnyStore, StateReader } from '../core/index.js';
import { DataNumbers } from './data-numbers.js';

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
  /**
   * Whether that is all that can be reached: false where `steps` or `states` ended the search, and where a rule is broken, since
   * nothing is tried beyond that.
   */
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
  options.examples.forEach(checkExample);
  return new Exploring(options).run();
}

/** @throws FLOE_BAD_OPTION */
function checkExample(example: unknown, index: number): void {
  const which = `examples[${index}]`;
  const type = typeof example === 'function' || example ? (example as Partial<AnyAction>).type : undefined;
  if (typeof example === 'function' && typeof type === 'string')
    throw badOption('explore', which, `is the creator of '${type}'; call it: creator(payload)`);
  if (typeof example !== 'function' && typeof type !== 'string')
    throw badOption('explore', which, 'is neither an action nor a function that gives a list of actions');
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
  private readonly numbers = new DataNumbers();

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
    complete &&= this.broken.size === 0 && !this.queue.slice(next).some((reached) => this.leadsOn(reached));
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
    const read = ((store: AnyStore) => {
      if (typeof store === 'function')
        throw badOption('explore', 'examples', 'reads stores, not selectors: read(visits).list.length');
      return states[definitionOf(store).name];
    }) as StateReader;
    for (const [index, example] of this.options.examples.entries()) {
      if (typeof example !== 'function') {
        yield example;
        continue;
      }
      const actions: unknown = example(read);
      if (!Array.isArray(actions))
        throw badOption('explore', `examples[${index}]`, 'is a function that gives a list of actions: () => [...]');
      yield* actions as AnyAction[];
    }
  }

  /** Whether an action leads from a state to one that is not known, or to a broken rule. */
  private leadsOn({ states }: Reached): boolean {
    for (const action of this.actionsIn(states)) {
      try {
        const after = withChanges(states, this.model.apply(action, states).changed);
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
      const { changed } = this.model.apply(action, from.states);
      if (changed.length === 0) {
        tally.unchanged++;
        return undefined;
      }
      states = withChanges(from.states, changed);
      touched = changed.map(({ store }) => store);
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
    const changed = stores.map((store) => ({ store, after: states[store.name] }));
    eachBroken(changed, (what, thrown) => {
      isBroken = true;
      if (this.broken.has(what)) return;
      const actions = action ? wayTo(from, action) : [];
      this.broken.set(what, { what, ...(thrown !== undefined && { threw: messageOf(thrown) }), actions });
    });
    return isBroken;
  }

  private keyOf(states: States): string {
    return this.names.map((name) => this.numbers.of(states[name])).join();
  }
}

function wayTo(from: Reached | undefined, last: AnyAction): AnyAction[] {
  const actions = [last];
  for (let at = from; at?.action; at = at.from) actions.unshift(at.action);
  return actions;
}
