import {
  type ActionCreator,
  checkOptions,
  DEV,
  hasOwn,
  isContainer,
  nodeOf,
  type Original,
  partOf,
  put,
  type RowLink,
  type Source,
  StoreDefinition,
  storeName,
  type Touches,
} from '../core/internal.js';
import { isKey, type AnyEntity } from './entity.js';
import { noKey } from './errors.js';
import { checkWay, wayOf, type ExpandOptions } from './expand.js';
import { ingested } from './ingest.js';
import type { Ingested, IngestOptions } from './ingested.js';
import { checkKey, completed, linkedTo, linksOf, type Tables } from './link-rules.js';
import { Plans, type TypePlan } from './plan.js';
import { TableChanges, type KeyedRows, type Roots } from './table-changes.js';
import { TypeSources, viewed } from './table-sources.js';
import { keyText, RowTable, tableOf } from './table.js';
import { type RowKey, type TableStore, READY_MADE, type ReadyMade, type TablesOptions } from './table-store.js';

/** The state itself, behind the draft of a change: these changes return the next state. */
const stateOf = (draft: object): Tables => nodeOf(draft)!.base as unknown as Tables;

class TablesDefinition extends StoreDefinition {
  private readonly plans: Plans;
  private readonly creators: Readonly<Record<ReadyMade, ActionCreator>>;
  private readonly sources = new Map<TypePlan, TypeSources>();
  readonly ingest: unknown;

  constructor(
    name: string,
    private readonly types_: readonly AnyEntity[],
    { about = {} }: TablesOptions = {},
    copy?: { readonly of: TablesDefinition; readonly original: Original },
  ) {
    const copied = copy?.of;
    const plans = copied?.plans ?? new Plans(types_);
    const begin = (): Tables => {
      const state = {};
      for (const type of plans.byName.keys()) put(state, type, tableOf());
      return state;
    };
    super(name, begin, copy?.original);
    this.plans = plans;
    const changes = new TableChanges(plans, this.name);
    const made = copied?.creators;
    const own = (key: keyof NonNullable<typeof made>, change: (state: Tables, payload: never) => Tables): never =>
      (made
        ? copy!.original.its(this, made[key] as never)
        : this.action(key, (draft: object, payload: never) => change(whole(this.plans, stateOf(draft)), payload), {
            about: about[key],
          })) as never;
    this.creators = {
      ingest: own('ingest', (state, payload: Ingested) => changes.landed(state, payload)),
      put: own('put', (state, payload: Ingested) => changes.placed(state, payload)),
      merge: own('merge', (state, payload: Ingested) => changes.merged(state, payload)),
      remove: own('remove', (state, keyed: KeyedRows) => changes.removed(state, keyed)),
      clear: own('clear', (state, types: readonly string[]) => changes.cleared(state, types)),
      prune: own('prune', (state, roots: Roots) => changes.pruned(state, roots)),
    };
    const { ingest } = this.creators;
    this.ingest = Object.assign(
      (...args: [payload: Ingested] | [type: AnyEntity, response: unknown, options?: IngestOptions]) =>
        (ingest as unknown as (payload: Ingested) => unknown)(
          args.length === 1 ? args[0] : ingested(this.plan('ingest', args[0]), args[1], args[2]),
        ),
      { type: ingest.type, about: ingest.about, made: ingest.made, store: this, takes: true },
    );
    const sourcesOf = (plan: TypePlan): TypeSources => this.sources.get(plan)!;
    for (const plan of plans.byName.values()) this.sources.set(plan, new TypeSources(this, plan, sourcesOf));
  }

  override again(name: string, original: Original): TablesDefinition {
    return new TablesDefinition(name, this.types_, undefined, { of: this, original });
  }

  private plan(what: string, type: AnyEntity | string): TypePlan {
    return this.plans.get(`${this.name}.${what}`, typeof type === 'string' ? type : type.name);
  }

  /** A state to begin with, with all tables. */
  override completeWith(given: unknown): unknown {
    return isContainer(given) && !Array.isArray(given) ? whole(this.plans, given as Tables) : given;
  }

  // ---- actions ----

  put(type: AnyEntity, rows: unknown): unknown {
    const plan = this.plan('put', type);
    const list = (Array.isArray(rows) ? rows : [rows]) as readonly Readonly<Record<string, unknown>>[];
    const keys = list.map((row, i) => {
      const key = typeof row === 'object' && (row as object | null) !== null ? plan.rawKey(row) : undefined;
      if (!isKey(key)) {
        const isOne = !Array.isArray(rows);
        throw noKey(plan, isOne ? '' : `/${i}`, key, isOne ? row : undefined);
      }
      return String(key);
    });
    return act(this.creators.put, { keys: { [plan.name]: keys }, rows: { [plan.name]: list } });
  }
  merge(type: AnyEntity, key: RowKey, part: object): unknown {
    const plan = this.plan('merge', type);
    const { name } = plan;
    if (plan.keyField !== undefined && hasOwn(part, plan.keyField)) checkKey(plan, keyText(key), part);
    return act(this.creators.merge, { keys: { [name]: [keyText(key)] }, rows: { [name]: [part] } });
  }
  remove(type: AnyEntity, keys: RowKey | readonly RowKey[]): unknown {
    const { name } = this.plan('remove', type);
    return act(this.creators.remove, { type: name, keys: [keys].flat().map((key) => keyText(key)) });
  }
  clear(...types: AnyEntity[]): unknown {
    const named = types.length > 0 ? types.map((type) => this.plan('clear', type).name) : [...this.plans.byName.keys()];
    return act(this.creators.clear, named);
  }
  prune(roots: Roots): unknown {
    const named: Record<string, readonly string[] | 'all'> = {};
    for (const [type, keys] of Object.entries(roots))
      put(named, this.plan('prune', type).name, keys === 'all' ? keys : keys.map(keyText));
    return act(this.creators.prune, named);
  }

  /** The rules at the links, wherever a change is computed. */
  override completed(before: unknown, after: unknown, touches: Touches | undefined): unknown {
    if (!isTables(before, this.plans) || !isTables(after, this.plans)) return after;
    return completed(whole(this.plans, before), whole(this.plans, after), this.plans.byName.values(), touches);
  }

  override get shape(): unknown {
    return this.begin();
  }

  override linksFrom(state: unknown, type: string, key: string): readonly RowLink[] {
    const plan = this.plans.byName.get(type);
    return plan && isTables(state, this.plans) ? linksOf(whole(this.plans, state)[type].get(key), plan) : [];
  }

  override linksTo(state: unknown, type: string, key: string): readonly RowLink[] {
    const plan = this.plans.byName.get(type);
    return plan && isTables(state, this.plans) ? linkedTo(whole(this.plans, state), plan, key) : [];
  }

  // ---- sources ----

  private of(what: string, type: AnyEntity): TypeSources {
    return this.sources.get(this.plan(what, type))!;
  }

  one(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.of('one', type).one(keyText(key));
  }
  has(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.of('has', type).has(keyText(key));
  }
  many(type: AnyEntity, keys: readonly RowKey[]): Source<unknown> {
    return this.of('many', type).many(keys.map(keyText));
  }
  all(type: AnyEntity, options: object = {}): Source<unknown> {
    checkOptions('all', options, ['where', 'given', 'sort', 'limit', 'group']);
    return viewed(this.of('all', type).all, options);
  }
  count(type: AnyEntity, options: object = {}): Source<unknown> {
    checkOptions('count', options, ['where', 'given']);
    return viewed(this.of('count', type).count, options);
  }
  expand(type: AnyEntity, key: RowKey, options?: ExpandOptions): Source<unknown> {
    const { plan, expand } = this.of('expand', type);
    checkOptions('expand', options, ['depth', 'along', 'missing']);
    if (DEV) checkWay(plan, options?.along ?? []);
    return expand(keyText(key), wayOf(options));
  }
  linkedFrom(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.of('linkedFrom', type).linkedFrom(keyText(key));
  }
}

/** A state of an older version may lack a table: that is an empty one. */
function whole({ byName }: Plans, state: Tables): Tables {
  const missing = [...byName.keys()].filter((name) => !hasOwn(state, name));
  if (missing.length === 0) return state;
  const all: Record<string, RowTable> = { ...state };
  for (const name of missing) put(all, name, tableOf());
  return all;
}

const act = (creator: ActionCreator, payload: unknown): unknown =>
  (creator as unknown as (payload: unknown) => unknown)(payload);

/** Whether nothing else stands where tables were declared: a change may put anything there. */
function isTables(state: unknown, { byName }: Plans): state is Tables {
  if (!isContainer(state)) return false;
  for (const name of byName.keys()) if (hasOwn(state, name) && !(partOf(state, name) instanceof RowTable)) return false;
  return true;
}

/**
 * Declares a store of tables, one for each entity type: nested responses go in, flat rows are kept once, and views of them
 * keep themselves up to date. It is a store like any other: declare actions, selectors and rules beside it.
 * @throws FLOE_UNKNOWN_ENTITY when a type links to one that is not listed, FLOE_UNKNOWN_OPTION
 * @example
 * export const port = tables('port', [operator, vessel, visit]);
 * runtime.dispatch(port.ingest(visit, await response.json()));
 * runtime.read(port.expand(visit, 'v7', { depth: 2 })).vessel.operator.name;
 */
export function tables<N extends string, const Types extends readonly AnyEntity[]>(
  name: N,
  types: Types,
  options?: TablesOptions,
): TableStore<N, Types> {
  checkOptions(`tables '${name}'`, options, ['about']);
  checkOptions(`tables '${name}': about`, options?.about, READY_MADE);
  return new TablesDefinition(storeName('A store', name), types, options) as unknown as TableStore<N, Types>;
}
