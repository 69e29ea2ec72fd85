// What this tab did and another has not ordered yet. It is shown at once, and done once more on top of whatever is ordered
// before it.
import {
  type AnyAction,
  type Cell,
  computed,
  confirmedStates,
  type Extensible,
  sameData,
} from '../../core/internal.js';
import { mergeSessions } from '../session-merge.js';
import type { KeptPart } from '../kept-part.js';

/** The kept part of some stores, by name. */
export type DeedParts = Map<string, unknown>;

/** One thing that was done. */
interface TabDeed {
  /** It is done once more as this; where it is not there, or was not all, field by field. */
  readonly action: AnyAction | undefined;
  /** The states of the stores before and after it, by name: the parts that are not kept decide as well what it does. */
  readonly before: ReadonlyMap<string, unknown>;
  readonly after: ReadonlyMap<string, unknown>;
  /** How many stores had joined: an action did nothing to those that joined later. */
  readonly stores: number;
}

/** What the leader orders or refuses as one. */
export interface UnorderedDeeds {
  readonly id: number;
  readonly type: string;
  readonly group: number | undefined;
  deeds: TabDeed[];
  /** What it comes to: the kept parts before and after it, of the stores that it changes. */
  result: ReadonlyMap<string, { readonly before: unknown; readonly after: unknown }>;
  /** Whether its actions are known to be all that it was. */
  surely: boolean;
  sent: boolean;
  attempt: number;
}

export class Pendings {
  list: UnorderedDeeds[] = [];
  private lastId = 0;

  constructor(
    private readonly host: Extensible,
    private readonly keptOf: (store: string) => KeptPart | undefined,
  ) {}

  /**
   * Notes what was done last.
   * @param surely whether its action is all that it was
   */
  add(
    type: string,
    group: number | undefined,
    deed: Omit<TabDeed, 'stores'> & Partial<Pick<TabDeed, 'stores'>>,
    surely = true,
  ): void {
    const last = this.list.at(-1);
    const continues = group !== undefined && last?.group === group && !last.sent;
    const one: UnorderedDeeds = continues
      ? last
      : { id: ++this.lastId, type, group, deeds: [], result: new Map(), surely: true, sent: false, attempt: 0 };
    one.deeds.push({ stores: this.host.cells.size, ...deed });
    one.surely &&= surely;
    const result = new Map(one.result);
    for (const [name, state] of deed.after) {
      const kept = this.keptOf(name)!;
      const before = result.get(name)?.before ?? kept.of(deed.before.get(name));
      result.set(name, { before, after: kept.of(state) });
    }
    one.result = result;
    if (!continues) this.list.push(one);
  }

  /**
   * Whether the actions of something pending are all that it was, and no more: one of them may be optimistic still.
   * @param others the parts of the stores that it does not change
   */
  private isExplained({ deeds, result }: Pick<UnorderedDeeds, 'deeds' | 'result'>, others: DeedParts): boolean {
    try {
      const parts: DeedParts = new Map(others);
      for (const [name, { before }] of result) parts.set(name, before);
      this.redoDeeds(deeds, parts);
      const expected = (name: string): unknown => (result.has(name) ? result.get(name)!.after : others.get(name));
      return Array.from(parts).every(([name, part]) => sameData(part, expected(name)));
    } catch {
      return false;
    }
  }

  /** What came before everything that is pending here is done first; of what this tab knew better it says so. */
  putFirst(type: string, deed: Omit<TabDeed, 'action' | 'stores'>): void {
    const { list } = this;
    this.list = [];
    this.add(type, undefined, { action: undefined, ...deed });
    this.list.push(...list);
  }

  /**
   * Does everything once more on top of what is ordered, which becomes what it comes to.
   * @param parts what is ordered, by store
   * @returns what could not be done any more, and why
   */
  redo(parts: DeedParts): readonly { readonly pending: UnorderedDeeds; readonly error: unknown }[] {
    const dropped: { readonly pending: UnorderedDeeds; readonly error: unknown }[] = [];
    this.list = this.list.filter((pending) => {
      const trial: DeedParts = new Map(parts);
      try {
        if (!pending.surely) this.makeSure(pending, parts);
        this.redoDeeds(pending.deeds, trial);
      } catch (error) {
        dropped.push({ pending, error });
        return false;
      }
      // In a store that no leader has ordered yet it stays what it was.
      const unordered = Array.from(pending.result).filter(([name]) => !parts.has(name));
      const result = new Map(unordered);
      for (const [name, after] of trial) {
        const before = parts.get(name);
        if (before !== after) result.set(name, { before, after });
        parts.set(name, after);
      }
      pending.result = result;
      return true;
    });
    return dropped;
  }

  /** What its actions do not explain is taken as it was seen. */
  private makeSure(pending: UnorderedDeeds, parts: DeedParts): void {
    pending.surely = true;
    if (this.isExplained(pending, parts)) return;
    pending.deeds = [{ ...pending.deeds[0], action: undefined }];
  }

  private redoDeeds(deeds: readonly TabDeed[], parts: DeedParts): void {
    /** The states that one leaves to the next: also of what is not kept. */
    const left = new Map<string, unknown>();
    const now = confirmedStates(this.host);
    for (const { action, before, after, stores } of deeds) {
      if (action) {
        const given = ({ store: { name } }: Cell): unknown => {
          if (left.has(name)) return left.get(name);
          const around = before.has(name) ? before.get(name) : now[name];
          return parts.has(name) ? this.keptOf(name)!.exactly(around, parts.get(name)) : around;
        };
        const all = computed(this.host, action, { stateOf: given, isLeftOut: ({ index }) => index >= stores });
        for (const [{ store }, state] of all) {
          left.set(store.name, state);
          if (parts.has(store.name)) parts.set(store.name, this.keptOf(store.name)!.of(state));
        }
      } else
        for (const [name, state] of after) {
          if (!parts.has(name)) continue;
          const kept = this.keptOf(name)!;
          const part = mergeSessions(kept.of(before.get(name)), kept.of(state), parts.get(name)).result;
          parts.set(name, part);
          left.set(name, kept.exactly(state, part));
        }
    }
  }
}
