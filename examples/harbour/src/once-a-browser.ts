import type { Run } from 'floe';
import type { Persistence } from 'floe/persist';

/** Runs something in one tab of this browser, the one that writes: what all of them did would be done several times. */
export function whereWritten(persistence: Persistence, begin: () => Run<unknown>): void {
  let run: Run<unknown> | undefined;
  const look = (): void => {
    const isHere = persistence.tab === 'leading' || persistence.tab === 'alone';
    if (isHere) run ??= begin();
    else {
      run?.cancel();
      run = undefined;
    }
  };
  look();
  persistence.watch(look);
}
