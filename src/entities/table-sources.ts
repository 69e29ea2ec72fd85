// The sources of one type in a store of tables.
import {
  argumentKey,
  at,
  type Derivation,
  escapeKey,
  hasOwn,
  makeSelector,
  nextId,
  NO_BARE,
  partSelector,
  put,
  type Read,
  SOURCE,
  type Source,
  type Store,
  type StoreDefinition,
} from '../core/internal.js';
import { expansion, type Access, type Way } from './expand.js';
import { linkedTo, type Tables } from './link-rules.js';
import type { TypePlan } from './plan.js';
import { RowTable } from './table.js';
import { RowView } from './view.js';

const NO_ROWS = RowTable.seal(RowTable.start<never>());

export class TypeSources {
  readonly one: (key: string) => Source<unknown>;
  readonly has: (key: string) => Source<unknown>;
  readonly many: (keys: readonly string[]) => Source<unknown>;
  readonly expand: (key: string, way: Way) => Source<unknown>;
  readonly linkedFrom: (key: string) => Source<unknown>;
  readonly all: Derivation;
  readonly count: Derivation;

  /** @param sourcesOf those of the types that are linked with this one */
  constructor(
    private readonly tables: StoreDefinition,
    readonly plan: TypePlan,
    sourcesOf: (plan: TypePlan) => TypeSources,
  ) {
    const { name } = plan;
    const selector = (what: string, derive: unknown, whole: boolean, options?: object): never =>
      makeSelector(this.nameOf(what), whole ? undefined : tables, derive as never, options) as never;
    const access: Access = {
      row: (read, target, key) => read(sourcesOf(target).one(key)) as object | undefined,
      expanded: (target, key, way) => sourcesOf(target).expand(key, way),
    };
    this.one = partSelector(this.nameOf('one'), tables, (key) => [name, key]);
    this.has = selector('has', (state: Tables, key: string) => hasOwn(state, name) && state[name].has(key), false);
    const rowsOf = (state: Tables, keys: readonly string[]): unknown[] =>
      hasOwn(state, name) ? keys.filter((key) => state[name].has(key)).map((key) => state[name].get(key)) : [];
    this.many = selector('many', rowsOf, false);
    this.expand = selector('expand', (_read: Read, key: string, _way: Way) => key, true, {
      starting: (key: string, way: Way) => expansion(access, plan, key, way),
    });
    const linked = (read: Read, key: string): unknown => {
      const state: Record<string, RowTable> = {};
      for (const { from } of plan.linkedBy) put(state, from.name, this.readTable(read, from));
      return linkedTo(state, plan, key);
    };
    this.linkedFrom = selector('linkedFrom', linked, true, { equal: 'deep' });
    this.all = this.view('all', ({ result }) => result);
    this.count = this.view('count', ({ count }) => count);
  }

  private nameOf(what: string): string {
    return `${this.tables.name}.${what}(${this.plan.name})`;
  }

  /** A table as it is: what is made of it depends on the whole of it. */
  private readTable(read: Read, { name }: TypePlan): RowTable {
    return read(at(this.tables as unknown as Store, `/${escapeKey(name)}`) as Source<RowTable | undefined>) ?? NO_ROWS;
  }

  /** A view that keeps itself up to date. */
  private view(what: string, result: (view: RowView) => unknown): Derivation {
    return {
      id: nextId(),
      name: this.nameOf(what),
      store: undefined,
      derive: () => undefined,
      starting: (options: object) => {
        const kept = new RowView(options);
        return (read: Read) => {
          kept.update(this.readTable(read, this.plan));
          return result(kept);
        };
      },
      equal: undefined,
      keep: 100,
    };
  }
}

const functionKeys = new WeakMap<object, string>();
let functions = 0;

/** Equal options are one view; functions are equal when they are the same. */
export function viewed(of: Derivation, options: object): Source<unknown> {
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
