// What an officer sees of what is kept: that all is stored, or what waits and why, and what another session changed too.
import { selector, store, type Runtime } from 'floe';
import type { Persistence } from 'floe/persist';

export const saving = store('saving', {
  /** The stores with changes that are not stored yet. */
  waits: [] as readonly string[],
  why: null as string | null,
  /** What stands where another session stored something else meanwhile. */
  conflict: null as string | null,
});

export const savingLooked = saving.action('looked', (draft, seen: { waits: readonly string[]; why: string | null }) => {
  Object.assign(draft, seen);
});
export const conflictMet = saving.action('conflictMet', (draft, conflict: string) => {
  draft.conflict = conflict;
});
export const conflictRead = saving.action('conflictRead', (draft) => {
  draft.conflict = null;
});

export const shownSaving = selector('shownSaving', (read) => {
  const { waits, why } = read(saving);
  if (waits.length === 0) return 'Everything is stored.';
  if (why === null) return 'Storing …';
  return `Not stored yet: ${waits.join(', ')}. ${why} Leave this page open; it is stored as soon as that is possible.`;
});

/** What a problem means to an officer. */
function reasonOf({ code, cause, message }: Persistence['problems'][number]): string {
  if (code === 'FLOE_STORAGE_HANGS') return 'The office does not respond.';
  if (code !== 'FLOE_STORAGE_FAILED') return message;
  const isFull = (cause as Error | undefined)?.name === 'QuotaExceededError';
  return isFull ? 'This browser has no room left: remove what you do not need.' : 'The office cannot be reached.';
}

/** Keeps the sentence true. `save` stores now, and says whether that succeeded; `stop` ends it. */
export function tellOfSaving({ persistence, dispatch, read }: Runtime & { readonly persistence: Persistence }) {
  let known = persistence.problems.length;
  const look = (): void => {
    let { why } = read(saving);
    for (const problem of persistence.problems.slice(known)) {
      if (problem.code === 'FLOE_STORED_ELSEWHERE') dispatch(conflictMet(problem.message));
      else why = reasonOf(problem);
    }
    known = persistence.problems.length;
    const waits = persistence.pending;
    dispatch(savingLooked({ waits, why: waits.length > 0 ? why : null }));
  };
  return {
    stop: persistence.watch(look),
    async save(): Promise<boolean> {
      const isStored = await persistence.flush();
      look();
      return isStored;
    },
  };
}
