// Two sessions changed the same baseline. Each change of one session alone is kept: by field, and by row of a table.
import { type Conflict, Merge, parsePointer } from '../core/internal.js';

/** The state that two sessions lead to. */
interface MergedSessions {
  readonly result: unknown;
  /** The places that both sessions changed, to different values: the result has the value of the own session. */
  readonly lost: readonly string[];
}

/**
 * @param before the state that both sessions began with, as far as that is known
 * @param own the state of this session
 * @param other the state that another session stored meanwhile
 * @param decide gives the value of a place that both changed. Default: the own value, and the place counts as lost
 */
export function mergeSessions(
  before: unknown,
  own: unknown,
  other: unknown,
  decide?: (conflict: Conflict) => unknown,
): MergedSessions {
  const places: string[] = [];
  const lost = (path: string): void => void places.push(path === '' ? 'the whole' : parsePointer(path).join('/'));
  const merge = new Merge({
    arePeers: true,
    lost,
    decide({ path, base, own: mine, other: stored }) {
      if (decide) return decide({ place: path, before: base, own: mine, stored });
      lost(path);
      return mine;
    },
  });
  return { result: merge.values(before, own, other, ''), lost: places };
}
