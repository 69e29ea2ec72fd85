// Keeps the state of a runtime in an area: reads it when a store joins, writes what changed, and says what went wrong.
import { difference } from '../core/diff.js';
import { isThenable } from '../core/changing.js';
import { messageOf, type FloeError } from '../core/errors.js';
import type { AnyStore } from '../core/index.js';
import { guardData, put, sameData } from '../core/plain.js';
import { definitionOf, type StoreDefinition } from '../core/store.js';
import type { Host, Listener, StoreChange, Transition } from '../core/transition.js';
import { StorageConflict, type MaybeAsync, type StorageArea } from './area.js';
import {
  notSetAside,
  storageFailed,
  storageUnreadable,
  storedCutShort,
  storedDamaged,
  storedElsewhere,
  storedTooNew,
} from './errors.js';
import { Kept, sameParts } from './kept.js';
import { changeLine, firstLine, readLog, type Log, type LogEnd } from './log.js';
import { joined } from './joined.js';
import type { Persistence, StoredItem } from './persistence.js';
import { LineSum, hex } from './sealed.js';
import { listed } from './listed.js';
import { headOf, Shelf } from './shelf.js';
import type { Parts } from './tabs/pending.js';
import { Tabs } from './tabs/tabs.js';
import type { TabRole, TabsHost } from './tabs/tab.js';
import type { Errand } from './tabs/messages.js';
import type { TabLink } from './tabs/link.js';
import { Turns } from './turns.js';
import { upgraded, versionOf } from './upgrade.js';
import { perform, wait, waitAll, type Work } from './work.js';

const NOTHING = Symbol('nothing');

/** A state of less than so many characters is written whole with each change. */
const SMALL = 1000;

/** After a failure it is tried again with the next change, but not within this many milliseconds; twice that each time. */
const FIRST_PAUSE = 1000;

/** How often one flush stores again what it had to join with what other sessions stored meanwhile. */
const MOST_ROUNDS = 20;
const LONGEST_PAUSE = 30_000;

/** What is known of one store. */
interface Lane {
  /** As it is declared now: a reloaded module may declare it once more. */
  store: StoreDefinition;
  kept: Kept;
  readonly turns: Turns;
  /** `untouchable`: what is stored must not be written over. */
  phase: 'reading' | 'ready' | 'untouchable';
  /** The kept part as it was when nothing was stored; what another writer stores then began there too. */
  began: unknown;
  /** The kept part as it is stored. */
  stored: unknown;
  /** How the stored text begins; absent where nothing is stored. */
  head: string | undefined;
  /** The checksum of the last line that was read or written. */
  sum: number | undefined;
  /** Where a change can be added; absent where the whole must be written. */
  end: LogEnd | undefined;
  unsaved: boolean;
  /** While memory takes over what was joined with another session's state. */
  joining: Promise<void> | undefined;
  /** The part that was joined, and what it was joined to: what is changed before memory has it goes on top of that. */
  over: { readonly part: unknown; readonly result: unknown } | undefined;
  /** A save will look at it anyway. */
  expected: boolean;
}

/** What was read: puts the stored part into a state. */
interface Opened {
  readonly onto: (state: unknown) => unknown;
  readonly phase: Lane['phase'];
}
const unchanged = (state: unknown): unknown => state;

export class Keeper implements Persistence, Listener, TabsHost {
  readonly problems: FloeError[] = [];
  private readonly shelf: Shelf;
  /** By the name of the store. */
  private readonly lanes = new Map<string, Lane>();
  private readonly watchers = new Set<() => void>();
  private readonly stopListening: () => void;
  private past = false;
  private closed = false;
  private reading = 0;
  private whenReady: { readonly promise: Promise<void>; readonly resolve: () => void } | undefined;
  private planned: (() => void) | undefined;
  private pause = 0;
  /** The last attempt to write failed; that was reported. */
  private failing = false;
  private readonly tabs: Tabs | undefined;

  constructor(
    private readonly host: Host,
    area: StorageArea,
    private readonly writeAfter: number,
    link?: TabLink,
  ) {
    this.shelf = new Shelf(area);
    this.tabs = link && new Tabs(host, link, this);
    const stops = [area.beforeEnd?.(() => void this.flush()), area.backAgain?.(() => this.tryAgain())];
    this.stopListening = () => {
      for (const stop of stops) stop?.();
    };
  }

  get tab(): TabRole {
    return this.tabs?.role ?? 'alone';
  }

  get status(): 'reading' | 'ready' | 'closed' {
    return this.closed ? 'closed' : this.reading > 0 ? 'reading' : 'ready';
  }

  get ready(): Promise<void> {
    if (this.reading === 0) return Promise.resolve();
    if (!this.whenReady) {
      let resolve = (): void => undefined;
      const promise = new Promise<void>((done) => (resolve = done));
      this.whenReady = { promise, resolve };
    }
    return this.whenReady.promise;
  }

  // ---- reading ----

  begin(store: StoreDefinition, state: unknown): unknown {
    if (!store.kept) return state;
    const kept = new Kept(store);
    const lane: Lane = {
      store,
      kept,
      began: kept.of(state),
      turns: new Turns(),
      phase: 'reading',
      stored: NOTHING,
      head: undefined,
      sum: undefined,
      end: undefined,
      unsaved: false,
      joining: undefined,
      over: undefined,
      expected: false,
    };
    this.lanes.set(store.name, lane);
    this.tabs?.add(store, kept, state);
    const begun = lane.turns.take(() => this.open(lane, state));
    if (!isThenable(begun)) {
      lane.phase = begun.phase;
      const stored = begun.onto(state);
      this.tabs?.read(store.name, stored, stored);
      return stored;
    }
    this.reading++;
    const read = Promise.resolve(begun);
    // The runtime puts the state in place as soon as it is there; only then may it be written.
    void read
      .then(() => undefined)
      .then(async () => {
        const { onto, phase } = await read;
        lane.phase = phase;
        this.reading--;
        if (!this.closed) this.tabs?.read(store.name, onto(state), this.host.states()[store.name]);
        if (lane.unsaved) this.plan();
        this.tell();
        if (this.reading > 0) return;
        this.whenReady?.resolve();
        this.whenReady = undefined;
      });
    return read.then(({ onto }) => onto(state));
  }

  /** What is stored, for a state like this one. What cannot be used is set aside; what must not be touched is left alone. */
  private *open(lane: Lane, state: unknown): Work<Opened> {
    const { store } = lane;
    lane.unsaved = false;
    let text: string | undefined;
    const sum = new LineSum();
    try {
      text = yield* this.shelf.read(store.name, sum);
    } catch (cause) {
      this.report(storageUnreadable(store.name, cause));
      return { onto: unchanged, phase: 'untouchable' };
    }
    lane.head = text === undefined ? undefined : headOf(text);
    lane.stored = NOTHING;
    lane.sum = undefined;
    lane.end = undefined;
    if (text === undefined) return { onto: unchanged, phase: 'ready' };
    try {
      const log = readLog(store.name, text, sum.value);
      const newer = 'newer' in log ? log.newer : log.version > versionOf(store) ? `version ${log.version}` : undefined;
      if (newer !== undefined) {
        this.report(storedTooNew(store.name, newer));
        return { onto: unchanged, phase: 'untouchable' };
      }
      const part = this.use(lane, state, log as Log);
      const phase = yield* this.noteDamage(lane, log as Log, text);
      return { onto: (now) => lane.kept.complete(now, part), phase };
    } catch (cause) {
      return { onto: unchanged, phase: yield* this.giveUp(lane, text, messageOf(cause)) };
    }
  }

  private use(lane: Lane, state: unknown, log: Log): unknown {
    const { store } = lane;
    lane.sum = log.sum;
    const isPresent = log.version === versionOf(store) && log.end !== undefined;
    const part = upgraded(store, log.version, log.state);
    guardData(part, { at: '', what: `The stored state of '${store.name}'` });
    // Whether it fits is known before anything is changed.
    lane.kept.complete(state, part);
    // A check may give an equal part that is another object: nothing has to be written for that.
    if (isPresent && sameData(part, log.state)) {
      lane.stored = part;
      lane.end = log.end;
    } else lane.unsaved = true;
    return part;
  }

  /** What comes after the damage is kept aside, before it is written over. */
  private *noteDamage({ store }: Lane, { damage }: Log, text: string): Work<Lane['phase']> {
    const { name } = store;
    if (damage?.cut) this.report(storedCutShort(name, damage.why));
    else if (damage) {
      try {
        const aside = yield* this.shelf.setAside(name, text, damage.why, this.host.now());
        this.report(storedDamaged(name, aside, damage.why, 'the changes before'));
      } catch (cause) {
        this.report(notSetAside(name, damage.why, cause));
        return 'untouchable';
      }
    }
    return 'ready';
  }

  /** What cannot be used is moved out of the way, never thrown away. */
  private *giveUp(lane: Lane, text: string, why: string): Work<Lane['phase']> {
    const { name } = lane.store;
    lane.unsaved = false;
    try {
      const aside = yield* this.shelf.setAside(name, text, why, this.host.now());
      yield* this.shelf.remove(name);
      lane.head = undefined;
      this.report(storedDamaged(name, aside, why, 'nothing'));
      return 'ready';
    } catch (cause) {
      this.report(notSetAside(name, why, cause));
      return 'untouchable';
    }
  }

  async rehydrate(...stores: AnyStore[]): Promise<void> {
    await this.ready;
    const lanes = this.lanesOf(stores);
    if (!(await this.leaveToWriter('rehydrate', lanes))) await this.rehydrateHere(lanes);
  }

  private async rehydrateHere(lanes: readonly Lane[]): Promise<void> {
    const opened: { readonly store: StoreDefinition; readonly onto: Opened['onto'] }[] = [];
    for (const lane of lanes) {
      const { store } = lane;
      const done = lane.turns.take(() => this.open(lane, this.host.states()[store.name]));
      const { onto, phase } = isThenable(done) ? await done : done;
      lane.phase = phase;
      opened.push({ store, onto });
    }
    if (this.closed || opened.length === 0) return;
    const states = this.host.states();
    const changes: StoreChange[] = opened.map(({ store, onto }) => {
      const before = states[store.name];
      return { store, before, after: onto(before) };
    });
    this.host.state(changes, 'rehydrated', { cause: { by: 'storage' } });
    this.tell();
  }

  // ---- what happens ----

  transition(transition: Transition): void {
    const { fact, changed, unseen } = transition;
    // A store whose whole must be written is written as soon as it has joined.
    if (fact === 'initial' || fact === 'joined') return this.plan();
    if (fact === 'renewed') this.renewAll();
    // An action in the past has begun a branch: it is the present now.
    const isBranch = this.past && !unseen;
    if (isBranch) this.past = false;
    // What was left out while it was open may count from now on; and what changed nothing may change what is certain.
    const all = isBranch || this.host.uncertain || fact === 'confirmed' || fact === 'reverted';
    if (all) this.doubtAll();
    else if (fact !== 'rehydrated' && fact !== 'reset')
      for (const { store } of changed) {
        const lane = this.lanes.get(store.name);
        if (lane) lane.unsaved = true;
      }
    this.tabs?.look(transition, all, isBranch);
    this.plan();
  }

  travelled(live: boolean): void {
    this.past = !live;
    if (!live) return;
    // Perhaps not back from a look at the past, but on another line. What is the same is not written again.
    this.doubtAll();
    this.tabs?.look({}, true, true);
    this.plan();
  }

  /** Takes what a reloaded module says of what is kept: that is written as a whole. */
  private renewAll(): void {
    for (const store of this.host.stores()) {
      const lane = this.lanes.get(store.name);
      if (!lane || lane.store === store) continue;
      if (!store.kept) {
        this.lanes.delete(store.name);
        continue;
      }
      lane.store = store;
      lane.kept = new Kept(store);
      lane.end = undefined;
      lane.unsaved = true;
    }
  }

  private doubtAll(): void {
    for (const lane of this.lanes.values()) lane.unsaved = true;
  }

  // ---- writing ----

  /** Writes what is unsaved, now or when more was gathered. */
  private plan(): void {
    const ms = Math.max(this.writeAfter, this.pause);
    if (ms === 0) return this.saveAll();
    if (this.planned || ms === Infinity || this.closed) return;
    for (const lane of this.lanes.values()) {
      if (!lane.unsaved || lane.phase !== 'ready' || !this.mayWrite(lane)) continue;
      this.planned = this.host.after(ms, () => {
        this.planned = undefined;
        this.saveAll();
      });
      return;
    }
  }

  /** Of the tabs that share a store only one writes it. */
  private mayWrite({ store }: Lane): boolean {
    return !this.tabs || this.tabs.role === 'leading' || !this.tabs.orders(store.name);
  }

  private saveAll(): void {
    for (const lane of this.lanes.values()) if (lane.unsaved) void this.save(lane);
  }

  /** The place can be reached again: what could not be stored is stored without waiting. */
  private tryAgain(): void {
    if (!this.failing || this.closed) return;
    this.planned?.();
    this.planned = undefined;
    this.pause = 0;
    this.saveAll();
  }

  get pending(): readonly string[] {
    return [...this.lanes.values()].filter(({ unsaved }) => unsaved).map(({ store }) => store.name);
  }

  async flush(): Promise<boolean> {
    this.planned?.();
    this.planned = undefined;
    this.pause = 0;
    const own = this.flushOwn();
    if (!this.tabs || this.tabs.role === 'leading' || this.closed) return own;
    const [a, b] = await Promise.all([own, this.tabs.errand('flush', [])]);
    return a && b;
  }

  private async flushOwn(): Promise<boolean> {
    if (this.reading > 0) await this.ready;
    for (let round = 0; ; round++) {
      await this.saveEverything();
      for (const { joining } of this.lanes.values()) await joining;
      const unsaved = [...this.lanes.values()].filter((lane) => lane.unsaved && this.mayWrite(lane));
      if (unsaved.length === 0) return true;
      // What was joined with another session's state is stored in the next round; another one may store meanwhile.
      if (this.failing || round >= MOST_ROUNDS || unsaved.some(({ phase }) => phase !== 'ready')) return false;
    }
  }

  private saveEverything(): MaybeAsync<unknown> {
    return perform(waitAll(Array.from(this.lanes.values(), (lane) => this.save(lane))));
  }

  private save(lane: Lane): MaybeAsync<void> {
    if (lane.phase !== 'ready' || lane.expected || !this.mayWrite(lane)) return lane.turns.last as MaybeAsync<void>;
    lane.expected = true;
    return lane.turns.take(() => {
      lane.expected = false;
      return this.write(lane);
    });
  }

  /** What is stored is the live end, wherever the cursor is. */
  private *write(lane: Lane): Work<void> {
    const { store } = lane;
    for (let round = 0; lane.unsaved && lane.phase === 'ready' && this.mayWrite(lane); round++) {
      lane.unsaved = false;
      try {
        const own = lane.kept.of(this.host.states()[store.name]);
        const part = lane.over ? joined(lane.over.part, own, lane.over.result).result : own;
        if (sameParts(part, lane.stored)) continue;
        if (!(yield* this.shelf.isAsLeft(store.name, lane.head, lane.end))) {
          yield* this.meet(lane, part);
          continue;
        }
        const changes = lane.stored === NOTHING ? undefined : difference(lane.stored, part).changes;
        if (!changes || changes.length > 0 || !lane.end) yield* this.put(lane, part, changes);
        lane.stored = part;
        this.pause = 0;
        this.failing = false;
        this.tell();
      } catch (cause) {
        // It stays unsaved; what was stored before is still there.
        lane.unsaved = true;
        // Another writer was faster between the look and the write: the next look finds what it stored.
        if (cause instanceof StorageConflict && round < MOST_ROUNDS) continue;
        const isNews = !this.failing;
        this.failing = true;
        this.pause = Math.min(Math.max(FIRST_PAUSE, this.pause * 2), LONGEST_PAUSE);
        if (isNews) this.report(storageFailed(`'${store.name}' could not be stored`, cause));
        this.plan();
        return;
      }
    }
  }

  private *put(lane: Lane, part: unknown, changes: ReturnType<typeof difference>['changes'] | undefined): Work<void> {
    const { store, end } = lane;
    const { shelf } = this;
    if (end && changes && end.whole > SMALL && !shelf.area.isShared) {
      const { line, sum } = changeLine(changes, end.sum);
      // Once the changes are as long as the whole, the whole is written again.
      if (end.added + line.length < end.whole) {
        try {
          yield* shelf.add(store.name, end, line);
          lane.sum = sum;
          lane.end = { ...end, sum, additions: end.additions + 1, added: end.added + line.length + 1 };
          return;
        } catch {
          // Half of it may stand there now; and the whole may take less room than what it replaces.
          if (shelf.area.append) lane.end = undefined;
        }
      }
    }
    const { line, sum } = firstLine(store.name, versionOf(store), lane.sum, part);
    if (lane.head === undefined) yield* shelf.tidy(store.name, '');
    lane.head = yield* shelf.replace(store.name, line);
    lane.sum = sum;
    lane.end = { id: hex(sum), sum, additions: 0, whole: line.length + 1, added: 0 };
  }

  /** Another writer has stored: what the two changed is joined, in the storage and in memory. */
  private *meet(lane: Lane, part: unknown): Work<void> {
    const { store, stored, head, sum, end } = lane;
    const text = yield* this.shelf.read(store.name);
    const { onto, phase } = yield* this.open(lane, part);
    if (phase !== 'ready' || text === undefined || onto === unchanged) {
      lane.phase = phase;
      lane.unsaved = phase === 'ready';
      return;
    }
    const other = lane.kept.of(onto(part));
    const { result, lost } = joined(stored === NOTHING ? lane.began : stored, part, other);
    let aside: string | undefined;
    if (lost.length > 0) {
      const why = `somebody else stored it meanwhile, and both changed ${lost.join(', ')}`;
      try {
        aside = yield* this.shelf.setAside(store.name, text, why, this.host.now());
      } catch (cause) {
        // Not written over before it is kept aside: the next attempt meets it again.
        Object.assign(lane, { stored, head, sum, end });
        throw cause;
      }
    }
    // It is stored at once: the session may end before memory has it.
    lane.unsaved = false;
    try {
      yield* this.put(lane, result, lane.stored === NOTHING ? undefined : difference(lane.stored, result).changes);
    } catch (cause) {
      // Memory has not what the other stored: the next attempt meets it again.
      Object.assign(lane, { stored, head, sum, end });
      throw cause;
    }
    lane.stored = result;
    lane.over = { part, result };
    // Memory follows after the notification that is under way. Until then it has not what the other stored, and must not be
    // stored over it.
    lane.phase = 'reading';
    lane.joining = Promise.resolve().then(() => {
      lane.phase = 'ready';
      lane.joining = lane.over = undefined;
      if (this.closed) return;
      const states = this.host.states();
      const now = states[store.name];
      const latest = joined(part, lane.kept.of(now), result).result;
      this.host.state([{ store, before: now, after: lane.kept.exactly(now, latest) }], 'rehydrated', {
        cause: { by: 'storage' },
      });
      if (!sameData(latest, result)) {
        lane.unsaved = true;
        this.plan();
      }
      this.report(storedElsewhere(store.name, lost, aside));
    });
  }

  // ---- what is stored ----

  async forget(...stores: AnyStore[]): Promise<boolean> {
    const lanes = this.lanesOf(stores);
    // What is changed from now on is a change after it.
    const began = lanes.map((lane) => this.partOf(lane));
    return (await this.leaveToWriter('forget', lanes)) ?? this.forgetHere(lanes, began);
  }

  /** The kept part as memory has it now. */
  private partOf({ kept, store }: Lane): unknown {
    return kept.of(this.host.states()[store.name]);
  }

  private async forgetHere(lanes: readonly Lane[], began = lanes.map((lane) => this.partOf(lane))): Promise<boolean> {
    const done = lanes.map((lane, i) => lane.turns.take(() => this.remove(lane, began[i])));
    const all = await perform(waitAll(done));
    this.tell();
    return all.every(Boolean);
  }

  private *remove(lane: Lane, began: unknown): Work<boolean> {
    const { name } = lane.store;
    try {
      yield* this.shelf.remove(name);
      for (const { key, store } of yield* this.shelf.asides()) if (store === name) yield* this.shelf.removeAside(key);
    } catch (cause) {
      this.report(storageFailed(`What is stored for '${name}' could not be forgotten`, cause));
      return false;
    }
    const isSame = sameParts(began, this.partOf(lane));
    Object.assign(lane, {
      began,
      stored: NOTHING,
      head: undefined,
      sum: undefined,
      end: undefined,
      unsaved: !isSame,
      phase: 'ready',
    });
    if (!isSame) this.plan();
    return true;
  }

  private lanesOf(stores: readonly AnyStore[]): Lane[] {
    if (stores.length === 0) return [...this.lanes.values()];
    return stores.flatMap((store) => this.lanes.get(definitionOf(store).name) ?? []);
  }

  async list(): Promise<readonly StoredItem[]> {
    return perform(listed(this.shelf));
  }

  async texts(): Promise<Readonly<Record<string, string>>> {
    return perform(this.allTexts());
  }

  private *allTexts(): Work<Record<string, string>> {
    const all: Record<string, string> = {};
    for (const key of yield* wait(this.shelf.area.keys())) {
      const text = yield* wait(this.shelf.text(key));
      if (text !== undefined) put(all, key, text);
    }
    return all;
  }

  // ---- several tabs ----

  /** What became of it in the tab that writes; nothing where that is this one. */
  private async leaveToWriter(what: Errand, lanes: readonly Lane[]): Promise<boolean | undefined> {
    if (!this.tabs || this.closed || lanes.every((lane) => this.mayWrite(lane))) return undefined;
    return this.tabs.errand(
      what,
      lanes.map(({ store }) => store.name),
    );
  }

  async errand(what: Errand, stores: readonly string[]): Promise<boolean> {
    const lanes = [...this.lanes.values()].filter(({ store }) => stores.includes(store.name));
    if (what === 'flush') return this.flushOwn();
    if (what === 'forget') return this.forgetHere(lanes);
    await this.rehydrateHere(lanes);
    return true;
  }

  becomes(): void {
    this.plan();
    this.tell();
  }

  storedSince(): MaybeAsync<Parts> {
    return perform(this.readAnew());
  }

  private *readAnew(): Work<Parts> {
    const parts: Parts = new Map();
    for (const lane of this.lanes.values()) {
      if (lane.phase === 'ready') yield* wait(lane.turns.take(() => this.readNewer(lane, parts)));
    }
    return parts;
  }

  private *readNewer(lane: Lane, parts: Parts): Work<void> {
    const { store, head, end, kept } = lane;
    try {
      if (yield* this.shelf.isAsLeft(store.name, head, end)) return;
    } catch {
      // It is met with the next change.
      return;
    }
    const state = this.host.states()[store.name];
    const { onto, phase } = yield* this.open(lane, state);
    lane.phase = phase;
    if (onto !== unchanged) parts.set(store.name, kept.of(onto(state)));
  }

  adopt(): void {
    for (const lane of this.lanes.values())
      if (lane.phase === 'ready') void lane.turns.take(() => this.writeOver(lane));
  }

  private *writeOver(lane: Lane): Work<void> {
    const { phase } = yield* this.open(lane, this.host.states()[lane.store.name]);
    lane.phase = phase;
    lane.unsaved = phase === 'ready';
    this.plan();
  }

  stored(): void {
    this.tellWatchers();
  }

  // ---- the rest ----

  report(problem: FloeError): void {
    this.problems.push(problem);
    this.host.problem(problem);
    this.tabs?.tell(problem);
    this.tellWatchers();
  }

  private tell(): void {
    this.tabs?.tell();
    this.tellWatchers();
  }

  private tellWatchers(): void {
    for (const watcher of [...this.watchers]) {
      try {
        watcher();
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }

  close(): void | PromiseLike<void> {
    this.planned?.();
    // Memory will not take over any more what was joined with it; what was changed meanwhile goes on top of that.
    for (const lane of this.lanes.values()) if (lane.over) lane.phase = 'ready';
    // What was done on top of a state that is still being read is stored as soon as that is there.
    const saving = this.reading > 0 ? this.ready.then(() => this.saveEverything()) : this.saveEverything();
    this.tabs?.leave();
    const close = (): void => {
      this.shelf.area.close?.();
      // Only now may another tab write.
      this.tabs?.close();
    };
    this.stopListening();
    this.closed = true;
    if (isThenable(saving)) return saving.then(close);
    close();
    return undefined;
  }
}
