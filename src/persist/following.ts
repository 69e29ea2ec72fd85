// Which stores may have changed: follows the transitions of the runtime, and where the cursor goes.
import { type Listener, storesOf, type Transition } from '../core/internal.js';
import { KeptPart } from './kept-part.js';
import type { StorageSession } from './session.js';

export class Following implements Listener {
  /** The cursor is in the past. */
  private past = false;

  constructor(private readonly session: StorageSession) {}

  transition(transition: Transition): void {
    const { fact, changed, unseen, action, outcome } = transition;
    // A store whose whole must be written is written as soon as it has joined.
    if (fact === 'initial' || fact === 'joined') return this.session.plan();
    if (fact === 'renewed') this.renewAll();
    // An action in the past has begun a branch: it is the present now.
    const isBranch = this.past && !unseen;
    if (isBranch) this.past = false;
    // What was left out while it was open may count from now on; and what changed nothing may change the confirmed state.
    // An action that was rolled back did neither; what the transaction did besides comes with its other actions.
    const counts = fact !== undefined || action === undefined || outcome !== 'reverted';
    const mayDiffer = this.session.host.features.attending !== undefined || fact === 'confirmed' || fact === 'reverted';
    const all = isBranch || (counts && mayDiffer);
    if (all) this.doubtAll();
    if (fact !== 'rehydrated' && fact !== 'reset')
      for (const { store } of changed) {
        const record = this.session.records.get(store.name);
        if (record) record.unsaved = record.isTouched = record.changedAfterForget = true;
      }
    this.session.tabs?.look(transition, all, isBranch);
    this.session.plan();
  }

  travelled(live: boolean): void {
    this.past = !live;
    // Perhaps not back from the past, but on another branch. What is the same is not written again.
    if (live) this.leap();
  }

  branched(): void {
    const wasPast = this.past;
    // A transaction that begins the branch may be rolled back: then no transition follows.
    void Promise.resolve().then(() => {
      if (
        !wasPast ||
        !this.past ||
        this.session.isClosed ||
        this.session.host.views.live !== this.session.host.views.screen
      )
        return;
      this.past = false;
      this.leap();
    });
  }

  /** Something else is live from now on. */
  private leap(): void {
    this.doubtAll();
    this.session.tabs?.look({}, true, true);
    this.session.plan();
  }

  /** Takes what a reloaded module says of what is kept: that is written as a whole. */
  private renewAll(): void {
    for (const store of storesOf(this.session.host)) {
      const record = this.session.records.get(store.name);
      if (!record || record.store === store) continue;
      if (!store.kept) {
        this.session.records.delete(store.name);
        continue;
      }
      record.store = store;
      record.kept = new KeptPart(store);
      record.end = undefined;
      record.unsaved = true;
    }
  }

  private doubtAll(): void {
    for (const record of this.session.records.values()) record.unsaved = record.isTouched = true;
  }
}
