// What the core asks of tables, answered.
import type { Keyed, KeyedDifference, KeyedKind } from '../core/data/keyed.js';
import type { DraftNode, Editing } from '../core/draft/draft.js';
import { TableNode } from './table-draft.js';
import { tableStandIn } from './table-stand-in.js';
import { RowTable } from './table.js';

const table = (keyed: Keyed): RowTable => keyed as unknown as RowTable;

export const tableKind: KeyedKind = {
  node: (base, parent, editing, fresh) =>
    new TableNode(base, parent as DraftNode | undefined, editing as Editing, fresh),
  standIn: tableStandIn,
  difference: (before: Keyed, after: Keyed, most?: number) =>
    RowTable.difference(table(before), table(after), most) as KeyedDifference,
  same: (a, b) => RowTable.same(table(a), table(b)),
  resolved: (keyed, replace) => RowTable.resolved(table(keyed), replace),
  keyAfter: (keyed, key) => RowTable.keyAfter(table(keyed), key),
  with(keyed, key, row, before) {
    const next = RowTable.edit(table(keyed));
    if (before === undefined || next.has(key) || !next.has(before)) RowTable.set(next, key, row);
    else RowTable.insert(next, key, row, before);
    return RowTable.seal(next);
  },
  without(keyed, key) {
    const next = RowTable.edit(table(keyed));
    RowTable.delete(next, key);
    return RowTable.seal(next);
  },
  unsettled: (keyed, settled) => RowTable.unsettled(table(keyed), settled),
  settle: (keyed, settled) => RowTable.settle(table(keyed), settled),
};
