// Another writer has stored a store since this session read or wrote it: what the two changed is joined, in the storage
// and in memory.
import { sameData } from '../core/plain.js';
import type { Host } from '../core/transition.js';
import { storedElsewhere } from './errors.js';
import { joined } from './joined.js';
import { unchanged, type Opening } from './opening.js';
import type { Shelf, Standing } from './shelf.js';
import { NOTHING, type RecordHost, type StoreRecord } from './store-record.js';
import type { Work } from './work.js';

/** What conflicts need of the keeper. */
export interface ConflictHost extends RecordHost {
  /** Stores a part that goes on from what is stored. */
  put(record: StoreRecord, part: unknown): Work<void>;
  /** A store has changes that are not stored. */
  plan(): void;
  readonly status: 'reading' | 'ready' | 'closed';
}

export class Conflicts {
  constructor(
    private readonly host: ConflictHost,
    private readonly states: Pick<Host, 'states' | 'state'>,
    private readonly shelf: Shelf,
    private readonly opening: Opening,
  ) {}

  /** @param standing `overwritten`: the other writer had not seen the last write of this session */
  *meet(record: StoreRecord, part: unknown, standing: Standing): Work<void> {
    const { store, stored, head, sum, end, before } = record;
    const last = standing === 'overwritten' && before ? before.part : stored;
    const text = yield* this.shelf.read(store.name);
    const { onto, phase } = yield* this.opening.open(record, part);
    if (phase !== 'ready' || text === undefined || onto === unchanged) {
      record.phase = phase;
      record.unsaved = phase === 'ready';
      return;
    }
    const other = record.kept.of(onto(part));
    const { result, lost } = joined(last === NOTHING ? record.began : last, part, other, store.kept?.onConflict);
    let aside: string | undefined;
    record.unsaved = false;
    try {
      // Not overwritten before it is set aside.
      if (lost.length > 0)
        aside = yield* this.shelf.setAside(
          store.name,
          text,
          `another session stored it meanwhile, and both changed ${lost.join(', ')}`,
          this.host.now(),
        );
      // Stored at once: the session may end before memory has it.
      yield* this.host.put(record, result);
    } catch (cause) {
      // Memory does not have what the other session stored: the next attempt meets it again.
      Object.assign(record, { stored, head, sum, end, before });
      throw cause;
    }
    record.over = { part, result };
    // Memory follows after the notification that is under way. Until then it lacks what the other session stored, and must
    // not be stored over it.
    record.phase = 'reading';
    record.joining = Promise.resolve().then(() => this.takeOver(record, part, result, lost, aside));
  }

  private takeOver(
    record: StoreRecord,
    part: unknown,
    result: unknown,
    lost: readonly string[],
    aside: string | undefined,
  ): void {
    const { store, kept } = record;
    record.phase = 'ready';
    record.joining = record.over = undefined;
    if (this.host.status === 'closed') return;
    const now = this.states.states()[store.name];
    const latest = joined(part, kept.of(now), result).result;
    this.states.state([{ store, before: now, after: kept.exactly(now, latest) }], 'rehydrated', {
      cause: { by: 'storage' },
    });
    if (!sameData(latest, result)) {
      record.unsaved = true;
      this.host.plan();
    }
    this.host.report(storedElsewhere(store.name, lost, aside));
  }
}
