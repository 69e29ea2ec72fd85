// The rules at the links of the simulated tables, on tables of the model.
import { Planned } from '../planned.js';
import type { Plain, PlainTable } from './plain.js';

export const TABLES = ['operator', 'vessel', 'berth', 'anchorage', 'visit'] as const;

type Tables = Record<(typeof TABLES)[number], PlainTable>;

/**
 * What becomes of rows that link to rows that are gone: a vessel loses its operator, a visit goes with its vessel and loses
 * its tugs; a place that a visit has cannot go.
 */
export function completed(before: Tables, after: Tables): void {
  const isGone = (type: (typeof TABLES)[number], key: Plain): boolean =>
    typeof key === 'string' && before[type].has(key) && !after[type].has(key);
  for (const [key, visit] of after.visit) if (isGone('vessel', visit.vessel)) after.visit.delete(key);
  for (const visit of after.visit.values()) {
    const { place } = visit;
    if (place && isGone(place.kind, place.key)) throw new Planned(`${place.kind} ${place.key} has a visit`);
    if (visit.tugs?.some((key: string) => isGone('vessel', key)))
      visit.tugs = visit.tugs.filter((key: string) => !isGone('vessel', key));
  }
  for (const vessel of after.vessel.values()) if (isGone('operator', vessel.operator)) vessel.operator = null;
}

/** Puts rows in that came in: fields of newer ones win, others stay. */
export function ingested(state: Tables, { keys, rows }: Plain): void {
  for (const [type, list] of Object.entries<readonly string[]>(keys))
    for (const [i, key] of list.entries()) {
      const table = state[type as keyof Tables];
      table.set(key, { ...table.get(key), ...rows[type][i] });
    }
}
