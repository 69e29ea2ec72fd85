// What the roles of one tab have in common: the stores that it shares, its pending proposals, and how it shows a new
// shared state.
import {
  confirmedStates,
  decode,
  encode,
  type Extensible,
  type FloeError,
  guardData,
  keeping,
  messageOf,
  sameData,
  type StoreChange,
  type StoreDefinition,
  takeIn,
} from '../../core/internal.js';
import { applyPatch, type Patch } from '../../core/index.js';
import type { MaybeAsync } from '../area.js';
import { overtaken } from '../errors.js';
import type { KeptPart } from '../kept-part.js';
import { versionOf } from '../upgrade.js';
import type { TabLink } from './tab-link.js';
import type { StorageRequest, Message, Proposal, Standing } from './messages.js';
import { Pendings, type DeedParts } from './pending.js';

/**
 * Of this tab: it knows of no others, it does not know the leader yet, it leads (orders and writes), or it follows.
 */
export type TabRole = 'alone' | 'asking' | 'leading' | 'following';

/** What the tabs need of the persistence engine. */
export interface TabsHost {
  /** This tab has another role now. */
  becomes(role: TabRole): void;
  /** What another tab stored of these stores since this one read them. */
  storedSince(stores: readonly string[]): MaybeAsync<DeedParts>;
  /** What is stored of these is older than what the tabs share: the engine writes over it. */
  adopt(stores: readonly string[]): void;
  /** A store has another state than is stored. */
  changed(store: string): void;
  /** Another tab stores the state that a store has now. */
  leaveToOther(store: string): void;
  /** The stores that only other tabs have, which the leader keeps for them. */
  readonly hosted:
    | {
        keep(standing: Standing): void;
        /** Another leader keeps them now. */
        drop(): void;
      }
    | undefined;
  /** Does what another tab asks the leader for. */
  request(what: StorageRequest, stores: readonly string[]): Promise<boolean>;
  /** Another tab has stored something. */
  stored(): void;
  /** A problem here, or in the leader. */
  report(problem: FloeError): void;
}

/** What is known of a store that may be shared. */
export interface SharedStore {
  store: StoreDefinition;
  kept: KeptPart;
  /** Only other tabs have it; this one leads, and keeps it for them. */
  hosted: boolean;
  /** The kept part as the storage had it. */
  began: unknown;
  /** The term in which its order began: two leaders that did not hear of each other begin two orders. */
  firstTerm: number;
  /** The last revision of its order; absent while no leader orders this store. */
  revision: number | undefined;
  /** The kept part at that revision. */
  ordered: unknown;
  /** The live state as it was last seen, without optimistic actions. */
  seen: unknown;
  /** Where this tab goes its own way: the kept part since which it does. */
  alone: { readonly since: unknown } | undefined;
  /** The storage is still being read. */
  reading: boolean;
  /** This tab led when it began to read the storage: no other tab stores anything meanwhile. */
  askedLeading: boolean;
  /** Whether the leader said where this store stands. */
  isOrderKnown: boolean;
  /** The leader that has answered this tab since it read the store. */
  answeredBy: string | undefined;
  /** What another tab knows of its order, while this one still reads it. */
  known: Pick<SharedStore, 'firstTerm' | 'revision' | 'ordered'> | undefined;
  /** That another tab has another version of it was reported. */
  reported: boolean;
}

export class Tab {
  role: TabRole = 'asking';
  readonly id = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  readonly shared = new Map<string, SharedStore>();
  readonly pendings: Pendings;
  leader: string | undefined;
  /** Counts up with each leader, by the clock where the one before was not heard. */
  term = 0;
  /** The highest term of any leader of which this tab has heard. */
  latestTerm = 0;
  /** The last term in which this tab did not lead. */
  followedTerm = 0;
  /** Up to which proposal of each tab the leaders ordered. */
  readonly done = new Map<string, number>();
  /** Stores of which this tab is still to ask the leader where they stand. */
  readonly unheard = new Set<string>();
  closed = false;

  constructor(
    readonly host: Extensible,
    readonly link: TabLink,
    readonly engine: TabsHost,
  ) {
    this.pendings = new Pendings(host, (name) => this.shared.get(name)?.kept);
  }

  /** Where a store stands, as this tab knows it. */
  standingOf(name: string): Standing {
    const { store, firstTerm, revision, ordered } = this.shared.get(name)!;
    const line = revision === undefined ? 0 : firstTerm;
    return [name, versionOf(store), line, revision ?? 0, encode(ordered)];
  }

  send(message: Message): void {
    this.link.send(message);
  }

  /** The kept parts that a proposal leads to; nothing where it cannot be applied. */
  applied(changes: Proposal['changes'], why?: (error: unknown) => void): DeedParts | undefined {
    const next: DeedParts = new Map();
    try {
      for (const [name, , patch] of changes) {
        const { ordered } = this.shared.get(name)!;
        const part = keeping(ordered, applyPatch(ordered, decode(patch) as Patch));
        guardData(part, { at: '', what: `What another tab made of '${name}'` });
        next.set(name, part);
      }
      return next;
    } catch (error) {
      why?.(error);
      return undefined;
    }
  }

  /** Rebases what is pending onto these parts, and shows the result. */
  rebase(parts: DeedParts, type: string): void {
    const dropped = this.pendings.redo(parts);
    for (const { pending, error } of dropped) this.engine.report(overtaken(pending.type, messageOf(error)));
    this.show(parts, type);
  }

  /** Makes these parts the live state. */
  show(parts: DeedParts, type: string): void {
    const states = confirmedStates(this.host);
    const changes: StoreChange[] = [];
    for (const [name, part] of parts) {
      const one = this.shared.get(name)!;
      if (one.hosted) {
        one.ordered = part;
        this.engine.changed(name);
        continue;
      }
      const before = states[name];
      const now = one.kept.of(before);
      const after = keeping(now, part);
      // The live part and the ordered part share what is equal, so that comparing the two is quick.
      if (one.ordered === part) one.ordered = after;
      if (after === now || sameData(now, after)) continue;
      changes.push({ store: one.store, before, after: one.kept.exactly(before, after) });
    }
    if (changes.length === 0) return;
    takeIn(this.host, changes, 'fromTab', { by: 'tab', action: type });
    for (const { store } of changes) this.engine.changed(store.name);
  }
}
