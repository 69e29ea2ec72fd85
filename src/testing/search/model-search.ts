// What actions alone lead to, in every order, breadth first: the first broken rule that is found is one with the fewest actions before it.
import {
  badOption,
  definitionOf,
  eachBroken,
  FloeError,
  messageOf,
  Model,
  put,
  type StoreChange,
  type StoreDefinition,
} from '../../core/internal.js';
import type { AnyAction } from '../../core/index.js';
import { DataHashes, Reached } from './data-hashes.js';
import { examplesIn, isCall } from './examples.js';
import { STATES, STEPS, type Exploration, type ExploreOptions, type Finding } from './exploration.js';
import { dispatched } from './story.js';
import { Tallies } from './tallies.js';

type States = Readonly<Record<string, unknown>>;

/** The state of a store that was reached, and a number that equal ones share. */
interface Numbered {
  readonly state: unknown;
  readonly number: number;
}

/** A state that was reached. */
interface Place {
  readonly states: States;
  /** Of the states of the stores, in their order. */
  readonly numbers: readonly number[];
  readonly from: Place | undefined;
  readonly action: AnyAction | undefined;
  readonly steps: number;
}

export class ModelSearch {
  private readonly stores: readonly StoreDefinition[];
  private readonly names: readonly string[];
  private readonly model: Model;
  /** The states that were reached, by the numbers of the states of their stores. */
  private readonly known = new Set<string>();
  private readonly numbers: ReadonlyMap<string, Reached<Numbered>>;
  private readonly queue: Place[] = [];
  private readonly tallies = new Tallies();
  private readonly broken = new Map<string, Finding>();
  private readonly failures = new Map<string, Finding>();
  private readonly hashes = new DataHashes();

  constructor(private readonly options: ExploreOptions) {
    this.stores = options.stores.map(definitionOf);
    this.names = this.stores.map(({ name }) => name);
    this.model = new Model(this.stores);
    this.numbers = new Map(this.names.map((name) => [name, new Reached()]));
  }

  run(): Exploration {
    const { steps = STEPS.actions, states = STATES, time = Infinity, first: isFirst, onState } = this.options;
    const end = Date.now() + time;
    const begin: Record<string, unknown> = {};
    const numbers = this.stores.map((store) => {
      const { state, number } = this.numbered(store.name, store.begin(), undefined);
      put(begin, store.name, state);
      return number;
    });
    const first: Place = { states: begin, numbers, from: undefined, action: undefined, steps: 0 };
    this.known.add(numbers.join());
    let complete = true;
    if (!this.breaks(first, this.stores)) this.queue.push(first);
    let next = 0;
    // The queue grows while it is gone through.
    for (; next < this.queue.length; next++) {
      const reached = this.queue[next];
      if (reached.steps === steps || Date.now() > end || (isFirst && this.broken.size > 0)) break;
      for (const action of this.actionsIn(reached.states)) {
        const after = this.apply(reached, action);
        if (!after) continue;
        const key = after.numbers.join();
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
    return {
      states: this.queue.length,
      steps: this.queue.at(-1)?.steps ?? 0,
      complete,
      ...this.tallies.of(this.stores),
      broken: [...this.broken.values()],
      failures: [...this.failures.values()],
    };
  }

  private *actionsIn(states: States): Iterable<AnyAction> {
    for (const one of examplesIn(this.options.examples, states)) {
      if (isCall(one))
        throw badOption(
          'explore',
          'examples',
          'has a function that gives calls of tasks: name what they need, so that tasks run: needs: []',
        );
      yield one;
    }
  }

  /** Whether an action leads from a state to one that is not known, or to a broken rule. */
  private leadsOn(place: Place): boolean {
    for (const action of this.actionsIn(place.states)) {
      try {
        const { changed } = this.model.apply(action, place.states);
        if (changed.length > 0 && !this.known.has(this.next(place, action, changed).numbers.join())) return true;
      } catch {
        // It leads nowhere.
      }
    }
    return false;
  }

  /** What an action makes of a state; nothing where it changes nothing, fails, or breaks a rule. */
  private apply(from: Place, action: AnyAction): Place | undefined {
    const tally = this.tallies.for(action.type);
    let reached: Place;
    let touched: StoreDefinition[];
    try {
      const { changed } = this.model.apply(action, from.states);
      if (changed.length === 0) {
        tally.unchanged++;
        return undefined;
      }
      reached = this.next(from, action, changed);
      touched = changed.map(({ store }) => store);
    } catch (error) {
      if (error instanceof FloeError && error.code === 'FLOE_UNKNOWN_ACTION') throw error;
      tally.failed++;
      const what = messageOf(error);
      if (!this.failures.has(what))
        this.failures.set(what, { kind: 'change', what, story: this.storyTo(from, action) });
      return undefined;
    }
    if (this.breaks(reached, touched)) {
      tally.broke++;
      this.known.add(reached.numbers.join());
      return undefined;
    }
    tally.applied++;
    return reached;
  }

  private next(from: Place, action: AnyAction, changed: readonly StoreChange[]): Place {
    const states = { ...from.states };
    const numbers = from.numbers.slice();
    for (const { store, before, after } of changed) {
      const { state, number } = this.numbered(store.name, after, before);
      states[store.name] = state;
      numbers[this.names.indexOf(store.name)] = number;
    }
    return { states, numbers, from, action, steps: from.steps + 1 };
  }

  /** A state of a store as it was reached first: what is equal is one object from then on. */
  private numbered(store: string, state: unknown, before: unknown): Numbered {
    const reached = this.numbers.get(store)!;
    const hash = this.hashes.of(state, before);
    const known = reached.find(hash, state);
    if (known) return known;
    const one = { state, number: reached.count };
    reached.add(hash, state, one);
    return one;
  }

  /** Whether a rule of one of these stores does not hold. */
  private breaks({ states, from, action }: Place, stores: readonly StoreDefinition[]): boolean {
    let isBroken = false;
    const changed = stores.map((store) => ({ store, after: states[store.name] }));
    eachBroken(changed, (what, thrown) => {
      isBroken = true;
      if (this.broken.has(what)) return;
      const story = action ? this.storyTo(from, action) : [];
      this.broken.set(what, {
        kind: 'rule',
        what,
        ...(thrown !== undefined && { threw: messageOf(thrown) }),
        story,
      });
    });
    return isBroken;
  }

  private storyTo(from: Place | undefined, last: AnyAction): Finding['story'] {
    const actions = [{ action: last, states: from?.states ?? {} }];
    for (let at = from; at?.action; at = at.from) actions.unshift({ action: at.action, states: at.from?.states ?? {} });
    return actions.map(({ action, states }) => dispatched(action, this.stores, states));
  }
}
