// Ends, in the statuses of a line of transitions, the runs that the line claims and that are not under way.
import type { Extensible } from '../../kernel/feature.js';
import { noteFact } from '../../kernel/stating.js';
import type { RunNote } from '../../kernel/transition.js';
import { isStatuses, statusEntries, taskOfStatuses, withStatus } from './statuses.js';
import type { TaskStatus } from './types.js';

/**
 * @param claimed the runs that the line claims, where they are known
 */
export function endLostRuns(kernel: Extensible, reason: 'branch' | 'import', claimed: readonly RunNote[]): void {
  for (const cell of [...kernel.cells.values()]) {
    const { store } = cell;
    const state = kernel.views.stateOf(cell);
    if (!store.internal || !isStatuses(store.name, state)) continue;
    const { all } = state;
    const under = kernel.features.first((hooks) => hooks.running?.(store.name));
    const endedAt = kernel.now();
    const over = (status: TaskStatus): TaskStatus => ({ ...status, phase: 'cancelled', endedAt });
    const lost = [...statusEntries(state)].filter(([key, { phase }]) => phase === 'running' && !under?.keys.has(key));
    const allLost = all.phase === 'running' && (under?.count ?? 0) === 0;
    if (lost.length === 0 && !allLost) continue;
    const task = taskOfStatuses(store.name);
    const known = claimed.filter((note) => note.task === task);
    const notes = known.length > 0 ? known : [{ id: 0, task, args: [] }];
    let next = allLost ? { ...state, all: over(all) } : state;
    for (const [key, status] of lost) next = withStatus(next, key, over(status));
    for (const [i, note] of notes.entries())
      noteFact(kernel, i < notes.length - 1 ? undefined : kernel.views.current.change(cell, next), 'runEnded', {
        cause: { by: 'runtime' },
        run: { ...note, phase: 'cancelled' },
        reason,
      });
  }
}
