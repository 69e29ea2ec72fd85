// What the core asks of tables, answered.
import type { Keyed, KeyedKind } from '../core/keyed.js';
import { TableNode } from './table-draft.js';
import { tableStandIn } from './table-stand-in.js';
import { Table } from './table.js';

const table = (keyed: Keyed): Table => keyed as unknown as Table;

export const tableKind: KeyedKind = {
  node: (base, parent, editing, fresh) => new TableNode(base, parent, editing, fresh),
  standIn: tableStandIn,
  difference: (before, after) => Table.difference(table(before), table(after)),
  same: (a, b) => Table.same(table(a), table(b)),
  keyAfter: (keyed, key) => Table.keyAfter(table(keyed), key),
  with(keyed, key, row, before) {
    const next = Table.edit(table(keyed));
    if (before === undefined || next.has(key) || !next.has(before)) Table.set(next, key, row);
    else Table.insert(next, key, row, before);
    return Table.seal(next);
  },
  without(keyed, key) {
    const next = Table.edit(table(keyed));
    Table.delete(next, key);
    return Table.seal(next);
  },
  unsettled: (keyed, settled) => Table.unsettled(table(keyed), settled),
  settle: (keyed, settled) => Table.settle(table(keyed), settled),
};
