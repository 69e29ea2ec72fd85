// What the actions of a store of tables make of its state.
import { hasOwn, sameData } from '../core/internal.js';
import { noSuchRow } from './errors.js';
import { joined, type Ingested } from './ingested.js';
import { reached, withTables, type Tables } from './link-rules.js';
import type { Plans, TypePlan } from './plan.js';
import { RowTable } from './table.js';
import type { RowKey } from './table-store.js';

type Row = Readonly<Record<string, unknown>> & Record<string, unknown>;
export type Roots = Readonly<Record<string, readonly RowKey[] | 'all'>>;

/** Rows of one type, by their keys. */
export interface KeyedRows {
  readonly type: string;
  readonly keys: readonly string[];
}

/** Each method gives the next state; the same one where nothing changes. */
export class TableChanges {
  constructor(
    private readonly plans: Plans,
    private readonly store: string,
  ) {}

  private plan(what: string, type: string): TypePlan {
    return this.plans.get(`${this.store}.${what}`, type);
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
  landed(state: Tables, payload: Ingested): Tables {
    const { withoutLinks = {} } = payload;
    return this.edited(state, payload, ({ name, join }, old, row, key) => {
      if (old) return joined(join, old, row);
      const missing = withoutLinks[name]?.[key]?.filter((link) => !hasOwn(row, link)) ?? [];
      return missing.length === 0 ? row : { ...row, ...Object.fromEntries(missing.map((link) => [link, null])) };
    });
  }
  placed(state: Tables, payload: Ingested): Tables {
    return this.edited(state, payload, (_plan, old, row) => (old && sameData(old, row) ? old : row));
  }
  merged(state: Tables, payload: Ingested): Tables {
    return this.edited(state, payload, ({ name }, old, part, key) => {
      if (!old) throw noSuchRow(name, key);
      return joined(undefined, old, part);
    });
  }
  removed(state: Tables, { type, keys }: KeyedRows): Tables {
    const { name } = this.plan('remove', type);
    const there = keys.filter((key) => state[name].has(key));
    if (there.length === 0) return state;
    const table = RowTable.edit(state[name]);
    for (const key of there) RowTable.delete(table, key);
    return withTables(state, new Map([[name, table]]));
  }
  cleared(state: Tables, names: readonly string[]): Tables {
    const filled = names.filter((name) => state[this.plan('clear', name).name].size > 0);
    return withTables(state, new Map(filled.map((name) => [name, RowTable.start()])));
  }
  pruned(state: Tables, roots: Roots): Tables {
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
}
