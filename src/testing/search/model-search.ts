// What actions alone lead to, in every order, breadth first: the first broken rule that is found is one with the fewest actions before it.
import {
  badOption,
  definitionOf,
  eachBroken,
  FloeError,
  messageOf,
  Model,
  put,
  type StoreDefinition,
  withChanges,
} from '../../core/internal.js';
import type { AnyAction } from '../../core/index.js';
import { DataHashes, mixed, Reached } from './data-hashes.js';
import { examplesIn, isCall } from './examples.js';
import { STATES, STEPS, type Exploration, type ExploreOptions, type Finding, type Tried } from './exploration.js';
import { dispatched } from './story.js';

type States = Readonly<Record<string, unknown>>;

/** A state that was reached. */
interface Place {
  readonly states: States;
  readonly from: Place | undefined;
  readonly action: AnyAction | undefined;
  readonly steps: number;
}

export class ModelSearch {
  private readonly stores: readonly StoreDefinition[];
  private readonly names: readonly string[];
  private readonly model: Model;
  private readonly known = new Reached<true>();
  private readonly queue: Place[] = [];
  private readonly tried = new Map<string, { -readonly [K in keyof Tried]: Tried[K] }>();
  private readonly broken = new Map<string, Finding>();
  private readonly failures = new Map<string, Finding>();
  private readonly hashes = new DataHashes();

  constructor(private readonly options: ExploreOptions) {
    this.stores = options.stores.map(definitionOf);
    this.names = this.stores.map(({ name }) => name);
    this.model = new Model(this.stores);
  }

  run(): Exploration {
    const { steps = STEPS.actions, states = STATES, time = Infinity, first: isFirst, onState } = this.options;
    const end = Date.now() + time;
    const begin: Record<string, unknown> = {};
    for (const store of this.stores) put(begin, store.name, store.begin());
    const first: Place = { states: begin, from: undefined, action: undefined, steps: 0 };
    this.isNew(begin, undefined);
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
        if (this.queue.length >= states) complete &&= this.isKnown(after.states, reached.states);
        else if (this.isNew(after.states, reached.states)) this.queue.push(after);
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
  private leadsOn({ states }: Place): boolean {
    for (const action of this.actionsIn(states)) {
      try {
        const after = withChanges(states, this.model.apply(action, states).changed);
        if (after !== states && !this.isKnown(after, states)) return true;
      } catch {
        // It leads nowhere.
      }
    }
    return false;
  }

  /** What an action makes of a state; nothing where it changes nothing, fails, or breaks a rule. */
  private apply(from: Place, action: AnyAction): Place | undefined {
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
      if (!this.failures.has(what)) this.failures.set(what, { kind: 'change', what, story: storyTo(from, action) });
      return undefined;
    }
    const reached = { states, from, action, steps: from.steps + 1 };
    if (this.breaks(reached, touched)) {
      tally.broke++;
      this.isNew(states, from.states);
      return undefined;
    }
    tally.applied++;
    return reached;
  }

  /** Whether a rule of one of these stores does not hold. */
  private breaks({ states, from, action }: Place, stores: readonly StoreDefinition[]): boolean {
    let isBroken = false;
    const changed = stores.map((store) => ({ store, after: states[store.name] }));
    eachBroken(changed, (what, thrown) => {
      isBroken = true;
      if (this.broken.has(what)) return;
      const story = action ? storyTo(from, action) : [];
      this.broken.set(what, {
        kind: 'rule',
        what,
        ...(thrown !== undefined && { threw: messageOf(thrown) }),
        story,
      });
    });
    return isBroken;
  }

  private hashOf(states: States, before: States | undefined): number {
    let hash = 0;
    for (const name of this.names) hash = mixed(hash, this.hashes.of(states[name], before?.[name]));
    return hash;
  }

  private isKnown(states: States, before: States): boolean {
    return this.known.find(this.hashOf(states, before), states) !== undefined;
  }

  /** Knows a state from now on; whether it was not known. */
  private isNew(states: States, before: States | undefined): boolean {
    const hash = this.hashOf(states, before);
    const isNew = this.known.find(hash, states) === undefined;
    if (isNew) this.known.add(hash, states, true);
    return isNew;
  }
}

function storyTo(from: Place | undefined, last: AnyAction): Finding['story'] {
  const actions = [last];
  for (let at = from; at?.action; at = at.from) actions.unshift(at.action);
  return actions.map(dispatched);
}
