// What the core asks of tables, answered.
import type { DraftNode, Editing, Keyed, KeyedDifference, KeyedKind, TrackedPlace, Touches } from '../core/internal.js';
import { TableNode } from './table-draft.js';
import { tableProxy } from './table-proxy.js';
import { RowTable } from './table.js';

const table = (keyed: Keyed): RowTable => keyed as unknown as RowTable;

export const tableKind: KeyedKind = {
  node: (base, parent, editing, fresh) =>
    new TableNode(base, parent as DraftNode | undefined, editing as Editing, fresh),
  trackedProxy: tableProxy,
  difference: (before: Keyed, after: Keyed, most?: number) =>
    RowTable.difference(table(before), table(after), most) as KeyedDifference,
  changed: (place, before, after, touches) =>
    changed(place as TrackedPlace, before, after, touches as Touches | undefined),
  same: (a, b) => RowTable.same(table(a), table(b)),
  resolved: (keyed, replace) => RowTable.resolved(table(keyed), replace),
  keyAfter: (keyed, key) => RowTable.keyAfter(table(keyed), key),
  edit: (keyed) => RowTable.edit(table(keyed)),
  seal: (keyed) => RowTable.seal(table(keyed)),
  put(keyed, key, row, before) {
    const open = table(keyed);
    if (before === undefined || open.has(key) || !open.has(before)) RowTable.set(open, key, row);
    else RowTable.insert(open, key, row, before);
  },
  drop: (keyed, key) => void RowTable.delete(table(keyed), key),
  with(keyed, key, row, before) {
    const next = tableKind.edit(keyed);
    tableKind.put(next, key, row, before);
    return tableKind.seal(next);
  },
  without(keyed, key) {
    const next = tableKind.edit(keyed);
    tableKind.drop(next, key);
    return tableKind.seal(next);
  },
  unsettled: (keyed, settled) => RowTable.unsettled(table(keyed), settled),
  settle: (keyed, settled) => RowTable.settle(table(keyed), settled),
};

/** Marks the readers of what is now different in a table. */
function changed(place: TrackedPlace, before: Keyed, after: Keyed, touches: Touches | undefined): void {
  const { keys, parts, size } = place;
  if (size && before.size !== after.size) size.mark();
  if (!keys && !parts) return;
  const touch = touches?.get(after);
  if (touch && !touch.moved && touch.base === before) {
    // Only rows that are in their places were edited.
    for (const key of touch.keys ?? []) parts?.get(key)?.changed(before.get(key), after.get(key), touches);
    return;
  }
  // Where more rows differ than are read, and no reader lists them, it costs less to look at those that are read.
  const most = keys || !parts ? Infinity : parts.size;
  const difference = RowTable.difference(table(before), table(after), most);
  if (!difference) {
    for (const [key, part] of parts!) {
      const [was, is] = [before.get(key), after.get(key)];
      // Each look-up costs as much as the rest.
      if (was !== undefined && is !== undefined) part.changed(was, is, touches);
      else part.within(before, after, touches);
    }
    return;
  }
  const { removed, added } = difference;
  if (removed.length + added.length > 0) keys?.mark();
  if (!parts) return;
  for (const key of difference.changed) parts.get(key)?.changed(before.get(key), after.get(key), touches);
  for (const some of [removed, added]) for (const key of some) parts?.get(key)?.within(before, after, touches);
}
