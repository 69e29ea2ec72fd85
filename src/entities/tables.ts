import {
  type ActionCreator,
  argumentKey,
  at,
  checkOptions,
  type Derivation,
  DEV,
  escapeKey,
  hasOwn,
  isContainer,
  makeSelector,
  nextId,
  NO_BARE,
  nodeOf,
  type Original,
  partOf,
  partSelector,
  put,
  type Read,
  type RowLink,
  sameData,
  SOURCE,
  type Source,
  type Store,
  StoreDefinition,
  storeName,
  type Touches,
} from '../core/internal.js';
import { isKey, type AnyEntity } from './entity.js';
import { noKey, noSuchRow } from './errors.js';
import { checkWay, expansion, wayOf, type Access, type ExpandOptions, type Way } from './expand.js';
import { ingested, joined, type Ingested, type IngestOptions } from './ingest.js';
import { checkKey, completed, linkedTo, linksOf, reached, withTables, type Tables } from './link-rules.js';
import { Plans, type TypePlan } from './plan.js';
import { keyText, RowTable, tableOf } from './table.js';
import { View } from './view.js';

import { type RowKey, type TableStore, READY_MADE, type ReadyMade, type TablesOptions } from './table-store.js';

interface Keyed {
  readonly type: string;
  readonly keys: readonly string[];
}

/** The state itself, behind the draft of a change: these changes return the next state. */
const stateOf = (draft: object): Tables => nodeOf(draft)!.base as unknown as Tables;

const functionKeys = new WeakMap<object, string>();
let functions = 0;

class TablesDefinition extends StoreDefinition {
  private readonly plans: Plans;
  private readonly creators: Readonly<Record<ReadyMade, ActionCreator>>;
  private readonly flat = new Map<TypePlan, (key: string) => Source<unknown>>();
  private readonly there = new Map<TypePlan, (key: string) => Source<unknown>>();
  private readonly several = new Map<TypePlan, (keys: readonly string[]) => Source<unknown>>();
  private readonly nested = new Map<TypePlan, (key: string, way: Way) => Source<unknown>>();
  private readonly linked = new Map<TypePlan, (key: string) => Source<unknown>>();
  private readonly views = new Map<TypePlan, Derivation>();
  private readonly counts = new Map<TypePlan, Derivation>();
  readonly ingest: unknown;

  constructor(
    name: string,
    private readonly types_: readonly AnyEntity[],
    { about = {} }: TablesOptions = {},
    copied?: TablesDefinition,
    original?: Original,
  ) {
    const plans = copied?.plans ?? new Plans(types_);
    const begin = (): Tables => {
      const state = {};
      for (const type of plans.byName.keys()) put(state, type, tableOf());
      return state;
    };
    super(name, begin, original);
    this.plans = plans;
    const made = copied?.creators;
    const own = (key: keyof NonNullable<typeof made>, change: (state: Tables, payload: never) => Tables): never =>
      (made
        ? original!.its(this, made[key] as never)
        : this.action(key, (draft: object, payload: never) => change(this.whole(stateOf(draft)), payload), {
            about: about[key],
          })) as never;
    this.creators = {
      ingest: own('ingest', (state, payload: Ingested) => this.landed(state, payload)),
      put: own('put', (state, payload: Ingested) => this.placed(state, payload)),
      merge: own('merge', (state, payload: Ingested) => this.merged(state, payload)),
      remove: own('remove', (state, { type, keys }: Keyed) => this.removed(state, type, keys)),
      clear: own('clear', (state, types: readonly string[]) => this.cleared(state, types)),
      prune: own('prune', (state, roots: Roots) => this.pruned(state, roots)),
    };
    const { ingest } = this.creators;
    this.ingest = Object.assign(
      (...args: [payload: Ingested] | [type: AnyEntity, response: unknown, options?: IngestOptions]) =>
        (ingest as unknown as (payload: Ingested) => unknown)(
          args.length === 1 ? args[0] : ingested(this.plan('ingest', args[0]), args[1], args[2]),
        ),
      { type: ingest.type, about: ingest.about, made: ingest.made, store: this, takes: true },
    );
    for (const plan of plans.byName.values()) this.prepare(plan);
  }

  override again(name: string, original: Original): TablesDefinition {
    return new TablesDefinition(name, this.types_, undefined, this, original);
  }

  private plan(what: string, type: AnyEntity | string): TypePlan {
    return this.plans.get(`${this.name}.${what}`, typeof type === 'string' ? type : type.name);
  }

  private prepare(plan: TypePlan): void {
    const { name } = plan;
    const selector = (what: string, derive: unknown, whole: boolean, options?: object): never =>
      makeSelector(`${this.name}.${what}(${name})`, whole ? undefined : this, derive as never, options) as never;
    const access: Access = {
      row: (read, target, key) => read(this.flat.get(target)!(key)) as object | undefined,
      expanded: (target, key, way) => this.nested.get(target)!(key, way),
    };
    this.flat.set(
      plan,
      partSelector(`${this.name}.one(${name})`, this, (key) => [name, key]),
    );
    this.there.set(
      plan,
      selector('has', (state: Tables, key: string) => hasOwn(state, name) && state[name].has(key), false),
    );
    this.several.set(
      plan,
      selector(
        'many',
        (state: Tables, keys: readonly string[]) =>
          hasOwn(state, name) ? keys.filter((key) => state[name].has(key)).map((key) => state[name].get(key)) : [],
        false,
      ),
    );
    this.nested.set(
      plan,
      selector('expand', (_read: Read, key: string, _way: Way) => key, true, {
        starting: (key: string, way: Way) => expansion(access, plan, key, way),
      }),
    );
    this.linked.set(
      plan,
      selector(
        'linkedFrom',
        (read: Read, key: string) => {
          const state: Record<string, RowTable> = {};
          for (const { from } of plan.linkedBy) put(state, from.name, read(this.table(from)) ?? NO_ROWS);
          return linkedTo(state, plan, key);
        },
        true,
        { equal: 'deep' },
      ),
    );
    const view = (what: string, result: (view: View) => unknown): Derivation => ({
      id: nextId(),
      name: `${this.name}.${what}(${name})`,
      store: undefined,
      derive: () => undefined,
      starting: (options: object) => {
        const kept = new View(options);
        return (read: Read) => {
          kept.update(read(this.table(plan)) ?? NO_ROWS);
          return result(kept);
        };
      },
      equal: undefined,
      keep: 100,
    });
    this.views.set(
      plan,
      view('all', ({ result }) => result),
    );
    this.counts.set(
      plan,
      view('count', ({ count }) => count),
    );
  }

  /** A state of an older version may lack a table: that is an empty one. */
  private whole(state: Tables): Tables {
    const missing = [...this.plans.byName.keys()].filter((name) => !hasOwn(state, name));
    if (missing.length === 0) return state;
    const whole: Record<string, RowTable> = { ...state };
    for (const name of missing) put(whole, name, tableOf());
    return whole;
  }

  /** A state to begin with, with all tables. */
  override completeWith(given: unknown): unknown {
    return isContainer(given) && !Array.isArray(given) ? this.whole(given as Tables) : given;
  }

  /** A table as it is: what is made of it depends on the whole of it. */
  private table({ name }: TypePlan): Source<RowTable> {
    return at(this as unknown as Store, `/${escapeKey(name)}`) as Source<RowTable>;
  }

  // ---- actions ----

  private act(which: keyof TablesDefinition['creators'], payload: unknown): unknown {
    return (this.creators[which] as unknown as (payload: unknown) => unknown)(payload);
  }

  put(type: AnyEntity, rows: unknown): unknown {
    const plan = this.plan('put', type);
    const list = (Array.isArray(rows) ? rows : [rows]) as readonly Readonly<Record<string, unknown>>[];
    const keys = list.map((row, i) => {
      const key = typeof row === 'object' && (row as object | null) !== null ? plan.rawKey(row) : undefined;
      if (!isKey(key)) throw noKey(plan.name, Array.isArray(rows) ? `/${i}` : '', plan.knownBy, key);
      return String(key);
    });
    return this.act('put', { keys: { [plan.name]: keys }, rows: { [plan.name]: list } });
  }
  merge(type: AnyEntity, key: RowKey, part: object): unknown {
    const plan = this.plan('merge', type);
    const { name } = plan;
    if (plan.keyField !== undefined && hasOwn(part, plan.keyField)) checkKey(plan, keyText(key), part);
    return this.act('merge', { keys: { [name]: [keyText(key)] }, rows: { [name]: [part] } });
  }
  remove(type: AnyEntity, keys: RowKey | readonly RowKey[]): unknown {
    const { name } = this.plan('remove', type);
    return this.act('remove', { type: name, keys: [keys].flat().map((key) => keyText(key)) });
  }
  clear(...types: AnyEntity[]): unknown {
    const named = types.length > 0 ? types.map((type) => this.plan('clear', type).name) : [...this.plans.byName.keys()];
    return this.act('clear', named);
  }
  prune(roots: Roots): unknown {
    const named: Record<string, readonly string[] | 'all'> = {};
    for (const [type, keys] of Object.entries(roots))
      put(named, this.plan('prune', type).name, keys === 'all' ? keys : keys.map(keyText));
    return this.act('prune', named);
  }

  private edited(
    state: Tables,
    { keys, rows }: Ingested,
    next: (plan: TypePlan, old: Row | undefined, row: Row, key: string) => Row,
  ): Tables {
    const edits = new Map<string, RowTable>();
    for (const [name, list] of Object.entries(keys)) {
      const plan = this.plan('ingest', name);
      const table = state[name];
      let edit: RowTable | undefined;
      let slot = -1;
      for (let i = 0; i < list.length; i++) {
        slot = RowTable.slotAfter(edit ?? table, slot, list[i]);
        const old = RowTable.rowIn(edit ?? table, slot) as Row | undefined;
        const row = next(plan, old, rows[name][i] as Row, list[i]);
        if (row !== old) RowTable.set((edit ??= RowTable.edit(table)), list[i], row);
      }
      if (edit) edits.set(name, edit);
    }
    return withTables(state, edits);
  }
  private landed(state: Tables, payload: Ingested): Tables {
    const { withoutLinks = {} } = payload;
    return this.edited(state, payload, ({ name, join }, old, row, key) => {
      if (old) return joined(join, old, row);
      const missing = withoutLinks[name]?.[key]?.filter((link) => !hasOwn(row, link)) ?? [];
      return missing.length === 0 ? row : { ...row, ...Object.fromEntries(missing.map((link) => [link, null])) };
    });
  }
  private placed(state: Tables, payload: Ingested): Tables {
    return this.edited(state, payload, (_plan, old, row) => (old && sameData(old, row) ? old : row));
  }
  private merged(state: Tables, payload: Ingested): Tables {
    return this.edited(state, payload, ({ name }, old, part, key) => {
      if (!old) throw noSuchRow(name, key);
      return joined(undefined, old, part);
    });
  }
  private removed(state: Tables, type: string, keys: readonly string[]): Tables {
    const { name } = this.plan('remove', type);
    const there = keys.filter((key) => state[name].has(key));
    if (there.length === 0) return state;
    const table = RowTable.edit(state[name]);
    for (const key of there) RowTable.delete(table, key);
    return withTables(state, new Map([[name, table]]));
  }
  private cleared(state: Tables, names: readonly string[]): Tables {
    const filled = names.filter((name) => state[this.plan('clear', name).name].size > 0);
    return withTables(state, new Map(filled.map((name) => [name, RowTable.start()])));
  }
  private pruned(state: Tables, roots: Roots): Tables {
    const starts = Object.entries(roots).flatMap(([name, keys]) => {
      const plan = this.plan('prune', name);
      return (keys === 'all' ? [...state[name].keys()] : keys).map((key) => [plan, key as string] as const);
    });
    const kept = reached(state, starts);
    const edits = new Map<string, RowTable>();
    for (const [name, plan] of this.plans.byName) {
      const stays = kept.get(plan);
      let edit: RowTable | undefined;
      for (const key of state[name].keys())
        if (!stays?.has(key)) RowTable.delete((edit ??= RowTable.edit(state[name])), key);
      if (edit) edits.set(name, edit);
    }
    return withTables(state, edits);
  }

  /** The rules at the links, wherever a change is computed. */
  override completed(before: unknown, after: unknown, touches: Touches | undefined): unknown {
    if (!isTables(before, this.plans) || !isTables(after, this.plans)) return after;
    return completed(this.whole(before), this.whole(after), this.plans.byName.values(), touches);
  }

  override get shape(): unknown {
    return this.begin();
  }

  override linksFrom(state: unknown, type: string, key: string): readonly RowLink[] {
    const plan = this.plans.byName.get(type);
    return plan && isTables(state, this.plans) ? linksOf(this.whole(state)[type].get(key), plan) : [];
  }

  override linksTo(state: unknown, type: string, key: string): readonly RowLink[] {
    const plan = this.plans.byName.get(type);
    return plan && isTables(state, this.plans) ? linkedTo(this.whole(state), plan, key) : [];
  }

  // ---- sources ----

  one(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.flat.get(this.plan('one', type))!(keyText(key));
  }
  has(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.there.get(this.plan('has', type))!(keyText(key));
  }
  many(type: AnyEntity, keys: readonly RowKey[]): Source<unknown> {
    return this.several.get(this.plan('many', type))!(keys.map(keyText));
  }
  all(type: AnyEntity, options: object = {}): Source<unknown> {
    checkOptions('all', options, ['where', 'given', 'sort', 'limit', 'group']);
    return this.viewed(this.views.get(this.plan('all', type))!, options);
  }
  count(type: AnyEntity, options: object = {}): Source<unknown> {
    checkOptions('count', options, ['where', 'given']);
    return this.viewed(this.counts.get(this.plan('count', type))!, options);
  }
  expand(type: AnyEntity, key: RowKey, options?: ExpandOptions): Source<unknown> {
    const plan = this.plan('expand', type);
    checkOptions('expand', options, ['depth', 'along', 'missing']);
    if (DEV) checkWay(plan, options?.along ?? []);
    return this.nested.get(plan)!(keyText(key), wayOf(options));
  }
  linkedFrom(type: AnyEntity, key: RowKey): Source<unknown> {
    return this.linked.get(this.plan('linkedFrom', type))!(keyText(key));
  }

  /** Equal options are one view; functions are equal when they are the same. */
  private viewed(of: Derivation, options: object): Source<unknown> {
    const parts = Object.entries(options)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, value]: [string, unknown]) => {
        if (typeof value !== 'function') return [name, argumentKey(of.name, [value])];
        let key = functionKeys.get(value);
        if (key === undefined) functionKeys.set(value, (key = `function ${++functions}`));
        return [name, key, true];
      });
    return { [SOURCE]: { of, args: [options], key: JSON.stringify(parts), bare: NO_BARE } };
  }
}

type Row = Readonly<Record<string, unknown>> & Record<string, unknown>;
type Roots = Readonly<Record<string, readonly RowKey[] | 'all'>>;

const NO_ROWS = RowTable.seal(RowTable.start<never>());

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
