// Writes what changed of a store: as a change that is added to its journal, or as a new baseline.
import { difference } from '../core/internal.js';
import type { Patch } from '../core/index.js';
import { StorageConflict } from './area.js';
import type { Conflicts } from './conflicts.js';
import { mergeSessions } from './session-merge.js';
import { sameParts } from './kept-part.js';
import { changeLine, firstLine, LINEAGE } from './log.js';
import { hex } from './checksums.js';
import type { StorageSession } from './session.js';
import type { StoredTexts } from './stored-texts.js';
import { NOTHING, type Attempt, type StoreRecord } from './store-record.js';
import { versionOf } from './upgrade.js';
import type { AreaWork } from './work.js';

/** A state of less than so many characters is written whole with each change. */
const SMALL = 1000;

/** How often one write looks again at what other writers stored meanwhile. */
const MOST_ROUNDS = 20;

type GivenPart = Pick<Attempt, 'part' | 'own'>;

export class Writing {
  constructor(
    private readonly session: StorageSession,
    private readonly storedTexts: StoredTexts,
    private readonly conflicts: Conflicts,
  ) {}

  /** The kept part that a store should have in the storage: the live state, wherever the cursor is. */
  partOf({ store, kept, over }: StoreRecord, state: unknown): unknown {
    const own = kept.of(state);
    return over ? mergeSessions(over.part, own, over.result, store.kept?.onConflict).result : own;
  }

  /**
   * Writes until nothing is unsaved.
   * @param mayWrite whether this session may still write it
   * @returns whether anything was written
   * @throws what the storage throws; then the record is unsaved, and what was stored before still stands
   */
  *write(record: StoreRecord, mayWrite: () => boolean): AreaWork<boolean> {
    const { storedTexts } = this;
    let wrote = false;
    record.writing = true;
    try {
      for (let round = 0; record.unsaved && record.phase === 'ready' && mayWrite(); round++) {
        record.unsaved = false;
        try {
          const part = this.partOf(record, this.session.stateOf(record));
          if (this.isStored(record, part)) continue;
          // A place that checks by itself is looked at only after it found another writer's text.
          const isAsLeft = (storedTexts.area.writeIf && round === 0) || (yield* storedTexts.isAsLeft(record));
          if (isAsLeft) yield* this.put(record, part);
          else yield* this.conflicts.meet(record, part);
          wrote = true;
        } catch (cause) {
          record.unsaved = true;
          // Another writer was faster between the look and the write: the next look finds what it stored.
          if (cause instanceof StorageConflict && round < MOST_ROUNDS) continue;
          throw cause;
        }
      }
    } finally {
      record.writing = false;
    }
    return wrote;
  }

  /** Where nothing is stored, what the next session begins with need not be, nor what was forgotten and has not changed since. */
  private isStored(
    { stored, head, initial, began, changedAfterForget, attempts }: StoreRecord,
    part: unknown,
  ): boolean {
    // A write that failed may have been done: then something else stands there.
    if (attempts.length > 0) return false;
    const isAbsent = stored === NOTHING && head === undefined;
    return sameParts(part, !isAbsent ? stored : changedAfterForget ? initial : began);
  }

  /** Whether the place itself notices where another writer was faster. */
  private get isGuarded(): boolean {
    const { append, writeIf, isShared } = this.storedTexts.area;
    return append !== undefined || writeIf !== undefined || isShared === true;
  }

  /** Another writer has overwritten the last write of this session: the two are joined. */
  *meet(record: StoreRecord): AreaWork<void> {
    yield* this.conflicts.meet(record, this.partOf(record, this.session.stateOf(record)));
  }

  /**
   * Stores a part that was computed from what is stored.
   * @param joining where it is joined from the part of this session and another session's
   */
  *put(record: StoreRecord, part: unknown, joining?: { readonly own: unknown }): AreaWork<void> {
    const { stored, end, lineage, history } = record;
    const changes = stored === NOTHING ? undefined : difference(stored, part).changes;
    if (!changes || changes.length > 0 || !end) {
      if (!(yield* this.add(record, changes, { part, ...joining }))) yield* this.replace(record, { part, ...joining });
      if (!this.isGuarded) {
        const known = history.length > 0 ? history : [{ sum: lineage.at(-1), part: stored }];
        // The first one stays: every other writer has seen it.
        const [common, ...later] = [...known, { sum: record.lineage.at(-1), part }];
        record.history = [common, ...later.slice(1 - LINEAGE)];
      }
    }
    record.stored = part;
    record.attempts = [];
  }

  /** What is about to be written may stand there although no response says so. */
  private attempt(record: StoreRecord, attempt: Attempt): void {
    record.attempts = [...record.attempts, attempt].slice(-LINEAGE);
  }

  /** Adds a change to the journal; `false` where the whole has to be written. */
  private *add(record: StoreRecord, changes: Patch | undefined, given: GivenPart): AreaWork<boolean> {
    const { end } = record;
    const { area } = this.storedTexts;
    if (!changes || !end || end.whole <= SMALL || area.isShared) return false;
    const number = this.session.nextWrite();
    const { line, sum } = changeLine(changes, end.sum, [this.session.id, number]);
    // Once the changes are as long as the whole, the whole is written again.
    if (end.added + line.length >= end.whole) return false;
    this.attempt(record, { number, sum: hex(sum), ...given });
    try {
      yield* this.storedTexts.add(record, line);
    } catch (cause) {
      if (cause instanceof StorageConflict) throw cause;
      // Half of it may stand there now; and the whole may take less room than what it replaces.
      if (area.append) record.end = undefined;
      return false;
    }
    record.lineage = [...record.lineage, hex(sum)].slice(-LINEAGE);
    record.end = { ...end, sum, additions: end.additions + 1, added: end.added + line.length + 1 };
    return true;
  }

  private *replace(record: StoreRecord, given: GivenPart): AreaWork<void> {
    const { store } = record;
    const number = this.session.nextWrite();
    const { line, sum } = firstLine(
      { store: store.name, version: versionOf(store), by: [this.session.id, number] },
      record.lineage,
      given.part,
    );
    this.attempt(record, { number, sum: hex(sum), ...given });
    record.head = yield* this.storedTexts.replace(record, line);
    record.lineage = [...record.lineage, hex(sum)].slice(-LINEAGE);
    record.end = { id: hex(sum), sum, additions: 0, whole: line.length + 1, added: 0 };
  }
}
