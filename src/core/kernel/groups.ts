// What was recorded in one transaction shares a group, and is computed again, kept or given up as a whole.

interface Grouped {
  readonly group?: number | undefined;
}

/** Calls `commit` with the entries of each group in turn, and with each entry that is in none. */
export function eachGroup<E extends Grouped>(
  entries: readonly E[],
  from: number,
  commit: (together: E[]) => void,
): void {
  for (let i = from, end: number; i < entries.length; i = end) {
    end = endOfGroup(entries, i);
    commit(end === i + 1 ? [entries[i]] : entries.slice(i, end));
  }
}

/** The index after the group of the entry at `first`. */
export function endOfGroup(entries: readonly Grouped[], first: number): number {
  const { group } = entries[first];
  let end = first + 1;
  while (group !== undefined && entries[end]?.group === group) end++;
  return end;
}

/** The index at which the group of the entry at `last` begins. */
export function startOfGroup(entries: readonly Grouped[], last: number): number {
  const group = entries[last]?.group;
  let first = last;
  while (group !== undefined && entries[first - 1]?.group === group) first--;
  return first;
}
