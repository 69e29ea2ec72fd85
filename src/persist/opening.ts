// Opens the stored text of a store. What cannot be used is set aside; what must not be touched is left alone.
import { DEV, guardData, messageOf, sameData, storedDiffers, type StoreDefinition } from '../core/internal.js';
import { notSetAside, storageUnreadable, storedCutShort, storedDamaged, storedTooNew } from './errors.js';
import { LINEAGE, lineageOf, readLog, type Log } from './log.js';
import { LineSum } from './checksums.js';
import type { StorageSession } from './session.js';
import { headOf, type StoredTexts } from './stored-texts.js';
import { NOTHING, type StoreRecord } from './store-record.js';
import { upgraded, versionOf } from './upgrade.js';
import type { AreaWork } from './work.js';

/** What was read: puts the stored part into a state. */
export interface Opened {
  readonly onto: (state: unknown) => unknown;
  readonly phase: StoreRecord['phase'];
}

/** Whether a text of ours ends before its end. */
const isCut = (text: string): boolean =>
  !text.endsWith('\n') && (text === '' || '{"sum":"'.startsWith(text.slice(0, 8)));

/** Of an `Opened`: nothing is stored that can be used. */
export const unchanged = (state: unknown): unknown => state;

/** Those of which development has said that they are of other kinds than what is stored, or not. */
const hinted = new WeakSet<StoreRecord>();

export class Opening {
  /** @param others the places from which a store may have moved here */
  constructor(
    private readonly session: StorageSession,
    private readonly storedTexts: StoredTexts,
    private readonly others: readonly StoredTexts[],
  ) {}

  /** The stored part, for a state like this one: from this place, else from where the store was kept before. */
  *first(record: StoreRecord, state: unknown): AreaWork<Opened> {
    record.moved = this.others.length > 0;
    const opened = yield* this.open(record, state);
    if (opened.phase !== 'ready' || record.head !== undefined) return opened;
    for (const former of this.others) {
      const found = yield* this.open(record, state, former);
      if (found.phase !== 'ready') return found;
      if (found.onto === unchanged) continue;
      // Its copy there goes after the first write here.
      Object.assign(record, { stored: NOTHING, head: undefined, end: undefined, unsaved: true });
      return found;
    }
    return opened;
  }

  *open(record: StoreRecord, state: unknown, storedTexts = this.storedTexts): AreaWork<Opened> {
    const { store } = record;
    record.unsaved = false;
    let text: string | undefined;
    const sum = new LineSum();
    try {
      text = yield* storedTexts.read(store.name, sum);
    } catch (cause) {
      return this.unread(record, cause);
    }
    return yield* this.use(record, state, text, { storedTexts, sum: sum.value });
  }

  /** It is read again later: until then nothing is written there. It is reported once. */
  private unread(record: StoreRecord, cause: unknown): Opened {
    if (record.phase !== 'unread') this.session.report(storageUnreadable(record.store.name, cause));
    return { onto: unchanged, phase: 'unread' };
  }

  /** Takes over what a text says that was read. */
  *use(
    record: StoreRecord,
    state: unknown,
    text: string | undefined,
    { storedTexts = this.storedTexts, sum }: { readonly storedTexts?: StoredTexts; readonly sum?: number } = {},
  ): AreaWork<Opened> {
    const { store } = record;
    record.head = text === undefined ? undefined : headOf(text);
    record.stored = NOTHING;
    record.end = undefined;
    record.lineage = text === undefined ? [] : this.lineageOf(text);
    record.history = [];
    if (text === undefined) return { onto: unchanged, phase: 'ready' };
    // On its way from a server it may have been cut short. What other devices need is not touched for that.
    if (storedTexts.area.isShared && isCut(text))
      return this.unread(record, new Error('it ends in the middle of a line'));
    try {
      const log = readLog(store.name, text, sum);
      const newer = 'newer' in log ? log.newer : log.version > versionOf(store) ? `version ${log.version}` : undefined;
      if (newer !== undefined) {
        this.session.report(storedTooNew(store.name, newer));
        return { onto: unchanged, phase: 'untouchable' };
      }
      const part = this.partIn(record, state, log as Log);
      const phase = yield* this.noteDamage(store, log as Log, text);
      return { onto: (now) => record.kept.complete(now, part), phase };
    } catch (cause) {
      return { onto: unchanged, phase: yield* this.giveUp(record, text, messageOf(cause), storedTexts) };
    }
  }

  /** Where additions are one text, only this session writes: one line is enough. */
  private lineageOf(text: string): readonly string[] {
    const { sums } = lineageOf(
      this.storedTexts.area.append ? text.slice(text.lastIndexOf('\n', text.length - 2) + 1) : text,
    );
    return sums.slice(-LINEAGE);
  }

  private partIn(record: StoreRecord, state: unknown, log: Log): unknown {
    const { store } = record;
    const isPresent = log.version === versionOf(store) && log.end !== undefined;
    const part = upgraded(store, log.version, log.state);
    guardData(part, { at: '', what: `The stored state of '${store.name}'` });
    // Whether it fits is known before anything is changed.
    record.kept.complete(state, part);
    if (DEV && log.version === versionOf(store) && !hinted.has(record)) {
      hinted.add(record);
      const found = storedDiffers(store.name, record.initial, part);
      if (found) this.session.report(found);
    }
    // A check may give an equal part that is another object: nothing has to be written for that.
    if (isPresent && sameData(part, log.state)) {
      record.stored = part;
      record.end = log.end;
    } else record.unsaved = true;
    return part;
  }

  /** What comes after the damage is set aside before it is overwritten. */
  private *noteDamage({ name }: StoreDefinition, { damage }: Log, text: string): AreaWork<StoreRecord['phase']> {
    if (damage?.cut) this.session.report(storedCutShort(name, damage.why));
    else if (damage) {
      try {
        const aside = yield* this.storedTexts.setAside(name, text, damage.why, this.session.now());
        this.session.report(storedDamaged(name, aside, damage.why, 'the changes before'));
      } catch (cause) {
        this.session.report(notSetAside(name, damage.why, cause));
        return 'untouchable';
      }
    }
    return 'ready';
  }

  /** What cannot be used is moved out of the way, never thrown away. */
  private *giveUp(
    record: StoreRecord,
    text: string,
    why: string,
    storedTexts: StoredTexts,
  ): AreaWork<StoreRecord['phase']> {
    const { name } = record.store;
    try {
      const aside = yield* this.storedTexts.setAside(name, text, why, this.session.now());
      // On a server it stays until something takes its place.
      if (!storedTexts.area.isShared) {
        yield* storedTexts.remove(name);
        record.head = undefined;
      }
      this.session.report(storedDamaged(name, aside, why, 'nothing'));
      return 'ready';
    } catch (cause) {
      this.session.report(notSetAside(name, why, cause));
      return 'untouchable';
    }
  }
}
