// Takes what is stored of some stores out of their place.
import { storageFailed } from './errors.js';
import { sameParts } from './kept-part.js';
import type { StorageSession } from './session.js';
import { NOTHING, type StoreRecord } from './store-record.js';
import { forget } from './stored-items.js';
import type { StoredTexts } from './stored-texts.js';
import { perform, waitAll, type AreaWork } from './work.js';

export class Forgetting {
  /** @param others where the stores may have been kept before they moved here */
  constructor(
    private readonly session: StorageSession,
    private readonly storedTexts: StoredTexts,
    private readonly others: readonly StoredTexts[],
  ) {}

  /** What is changed from now on is a change after what is stored was forgotten. */
  beginAgain(records: readonly StoreRecord[]): readonly unknown[] {
    for (const record of records) record.changedAfterForget = false;
    return records.map((record) => record.kept.of(this.session.stateOf(record)));
  }

  async forget(records: readonly StoreRecord[], began = this.beginAgain(records)): Promise<boolean> {
    const done = records.map((record, i) => record.turns.take(() => this.remove(record, began[i])));
    const all = await perform(waitAll(done));
    this.session.tell();
    return all.every(Boolean);
  }

  private *remove(record: StoreRecord, began: unknown): AreaWork<boolean> {
    const { name } = record.store;
    try {
      yield* forget(this.storedTexts, name);
      for (const other of record.moved ? this.others : []) yield* other.remove(name);
    } catch (cause) {
      this.session.report(storageFailed(`What is stored for '${name}' could not be forgotten`, cause));
      return false;
    }
    const isSame = !record.changedAfterForget && sameParts(began, record.kept.of(this.session.stateOf(record)));
    record.failure?.stop?.();
    Object.assign(record, {
      ...{ began, stored: NOTHING, head: undefined, end: undefined, lineage: [], history: [] },
      ...{ failure: undefined, unsaved: !isSame, phase: 'ready' },
    });
    if (!isSame) this.session.plan();
    return true;
  }
}
