// Another writer has stored a store since this session read or wrote it: what the two changed is joined, in the storage
// and in memory.
import { sameData } from '../core/internal.js';
import { storedElsewhere } from './errors.js';
import { mergeSessions } from './session-merge.js';
import type { StorageSession } from './session.js';
import { lineageOf, readLog, writerOf, type Lineage } from './log.js';
import { unchanged, type Opened, type Opening } from './opening.js';
import type { StoredTexts } from './stored-texts.js';
import { NOTHING, type Attempt, type StoreRecord } from './store-record.js';
import type { AreaWork } from './work.js';

/** Stores a part that was computed from what is stored. */
type Put = (record: StoreRecord, part: unknown, joining?: { readonly own: unknown }) => AreaWork<void>;

/** What this session and another one stored, joined. */
interface Join {
  /** What this session had, and what both come to. */
  readonly part: unknown;
  readonly result: unknown;
  /** The places that both changed, and where the text of the other one was set aside. */
  readonly lost: readonly string[];
  readonly aside: string | undefined;
}

export class Conflicts {
  constructor(
    private readonly session: StorageSession,
    private readonly storedTexts: StoredTexts,
    private readonly opening: Opening,
    private readonly put: Put,
  ) {}

  *meet(record: StoreRecord, part: unknown): AreaWork<void> {
    const { store, stored, head, end, lineage, history } = record;
    const text = yield* this.storedTexts.read(store.name);
    if (yield* this.isOwn(record, part, text)) return;
    const { text: usable, hasForeign } = withoutSiblings(store.name, text, history);
    const known: readonly Common[] = [...history, ...record.attempts];
    const common = usable === undefined ? undefined : commonOf(lineageOf(usable), known);
    const before = common ? common.part : stored;
    const { onto, phase } = yield* this.whole(record, part, usable);
    if (phase !== 'ready' || text === undefined || onto === unchanged) {
      record.phase = phase;
      // Also where it must not be stored: then `flush` must not say that it is.
      record.unsaved = true;
      return;
    }
    // What does not follow on the rest goes when the whole is written.
    if (usable !== text) record.end = undefined;
    const other = record.kept.of(onto(part));
    const onConflict = store.kept?.onConflict;
    // Memory does not have what an unheard write had joined: what it changed since goes on top of that.
    const own = common && 'own' in common ? mergeSessions(common.own, part, common.part, onConflict).result : part;
    const { result, lost } = mergeSessions(before === NOTHING ? record.began : before, own, other, onConflict);
    let aside: string | undefined;
    record.unsaved = false;
    try {
      // Not overwritten before it is set aside.
      if (lost.length > 0 || hasForeign) {
        const why =
          lost.length > 0
            ? `another session stored it meanwhile, and both changed ${lost.join(', ')}`
            : 'two sessions added to it at the same moment, and the changes of one do not follow on the other';
        aside = yield* this.storedTexts.setAside(store.name, text, why, this.session.now());
      }
      // Stored at once: the session may end before memory has it.
      yield* this.put(record, result, { own: part });
    } catch (cause) {
      // Memory does not have what the other session stored: the next attempt meets it again.
      Object.assign(record, { stored, head, end, lineage, history });
      throw cause;
    }
    this.follow(record, { part, result, lost, aside });
  }

  /**
   * Takes over what a text says.
   * @throws where the text was cut short on its way: everything is as it was, and the next attempt to write reads it again
   */
  private *whole(record: StoreRecord, part: unknown, text: string | undefined): AreaWork<Opened> {
    const { stored, head, end, lineage, history } = record;
    const opened = yield* this.opening.use(record, part, text);
    if (opened.phase !== 'unread') return opened;
    Object.assign(record, { stored, head, end, lineage, history, unsaved: true });
    throw new Error('what another session stored was cut short on its way');
  }

  /**
   * Memory follows after the notification that is under way. Until then it lacks what the other session stored, and must not be
   * stored over it.
   */
  private follow(record: StoreRecord, join: Join): void {
    record.over = join;
    record.phase = 'reading';
    record.joining = Promise.resolve().then(() => this.takeOver(record, join));
  }

  /** A write of this session was done, though it was never heard of: it is what this session stored last. */
  private *isOwn(record: StoreRecord, part: unknown, text: string | undefined): AreaWork<boolean> {
    if (text === undefined || record.attempts.length === 0) return false;
    const [session, number] = writerOf(text) ?? [];
    const own = session === this.session.id && record.attempts.find((attempt) => attempt.number === number);
    if (!own) return false;
    const { phase } = yield* this.whole(record, part, text);
    record.phase = phase;
    record.stored = own.part;
    record.attempts = [];
    record.unsaved = true;
    // It was joined with what another session had stored, which memory does not have yet.
    if ('own' in own && phase === 'ready')
      this.follow(record, { part: own.own, result: own.part, lost: [], aside: undefined });
    return true;
  }

  private takeOver(record: StoreRecord, { part, result, lost, aside }: Join): void {
    const { store, kept } = record;
    record.phase = 'ready';
    record.joining = record.over = undefined;
    if (this.session.status === 'closed') return;
    const now = this.session.stateOf(record);
    const latest = mergeSessions(part, kept.of(now), result, store.kept?.onConflict).result;
    this.session.takeIn([[record, kept.exactly(now, latest)]]);
    if (!sameData(latest, result)) {
      record.unsaved = true;
      this.session.plan();
    }
    this.session.report(storedElsewhere(store.name, lost, aside));
  }
}

type History = StoreRecord['history'];

/** What this session stored, or may have stored. */
type Common = Omit<History[number], 'number'> & Pick<Attempt, 'own'>;

/** The last that this session had in common with what another one stored, where that is known. */
const commonOf = ({ sums, isWhole }: Lineage, history: readonly Common[]): Common | undefined =>
  [...history].reverse().find(({ sum }) => (sum === undefined ? isWhole : sums.includes(sum)));

/**
 * Of changes that two sessions added at the same moment, those that do not follow on the others are left out.
 * @returns the text without them, and whether some of them are not this session's own
 */
function withoutSiblings(
  store: string,
  text: string | undefined,
  history: History,
): { readonly text: string | undefined; readonly hasForeign: boolean } {
  if (text === undefined || history.length === 0) return { text, hasForeign: false };
  try {
    const log = readLog(store, text);
    if ('newer' in log || !log.damage || log.damage.cut) return { text, hasForeign: false };
    const lines = text.split('\n');
    const rest = lines.slice(1 + log.changes).filter((line) => line !== '');
    const isForeign = (line: string): boolean => !history.some(({ sum }) => sum === line.slice(8, 16));
    return { text: lines.slice(0, 1 + log.changes).join('\n') + '\n', hasForeign: rest.some(isForeign) };
  } catch {
    return { text, hasForeign: false };
  }
}

/**
 * What is still open of a history when a text is stored; nothing where the text lacks the last write of this session,
 * because another writer has overwritten it.
 */
export function historyIn(store: string, text: string | undefined, history: History): History | undefined {
  if (text === undefined) return history;
  const { sums } = lineageOf(text);
  const last = history.at(-1)!.sum;
  if (last === undefined || !sums.includes(last)) return undefined;
  try {
    const log = readLog(store, text);
    if (!('newer' in log) && log.damage) return undefined;
  } catch {
    // It is met, and set aside, with the next write.
  }
  // Another writer went on from it.
  return sums.at(-1) === last ? history : history.slice(-1);
}
