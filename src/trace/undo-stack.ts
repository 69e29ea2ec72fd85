// The application's own undo and redo: what the user did to some stores, one entry after the other.
import {
  badOption,
  checkOptions,
  countOption,
  definitionOf,
  DEV,
  difference,
  escapeKey,
  type Extensible,
  faceOf,
  hostOf,
  isShown,
  keeping,
  sameData,
  listen,
  type Listener,
  shownStates,
  state,
  type StoreChange,
  storesOf,
  type Touches,
  type Transition,
} from '../core/internal.js';
import type { AnyAction, AnyCreator, AnyStore, Runtime } from '../core/index.js';
import { Identities } from './identities.js';
import { MergeConflict, Merging } from './merge.js';
import { namesOf } from './names.js';

/** What became of an undo or a redo. */
export type UndoResult =
  | { readonly became: 'done'; readonly title: string }
  /** There was no entry to undo or redo. */
  | { readonly became: 'nothing' }
  /** Something else changed the same place since: nothing was touched. */
  | {
      readonly became: 'conflict';
      readonly title: string;
      /** Where, in the state tree (RFC 6901). */
      readonly pointer: string;
    };

/** Options of `undoStack`. */
export interface UndoStackOptions {
  /** The stores whose changes an undo reverts. */
  readonly stores: readonly AnyStore[];
  /** How many entries are kept. Default: 100 */
  readonly limit?: number;
  /**
   * Whether an action belongs to the entry of the one before it. It is not asked where something else changed the stores in
   * between, and not within one `atomic`, which is one entry. Default: the same type changes the same single text again
   * within a second, as typing does; three clicks on one button are three entries.
   * @param ms milliseconds between the two; `Infinity` after an undo or a redo
   * @example
   * // Dragging is one entry.
   * undoStack(runtime, { stores: [plan], together: (action, before) => dragged.made(action) && dragged.made(before) });
   */
  readonly together?: (action: AnyAction, before: AnyAction, ms: number) => boolean;
  /** Actions that make no entry, by creator or type. Default: none */
  readonly except?: readonly (AnyCreator | string)[];
}

/** The application's own undo and redo. */
export interface UndoStack {
  /** How many entries can be undone. */
  readonly undos: number;
  /** How many can be done again. */
  readonly redos: number;
  /** The types of the actions of the next entry to undo. */
  readonly nextUndo: string | undefined;
  readonly nextRedo: string | undefined;
  /**
   * Takes the last entry back: one step of the trace.
   * @param options `anyway: true` also overwrites what was changed since
   */
  undo(options?: { readonly anyway?: boolean }): UndoResult;
  /** Repeats the entry that was undone last. A new action of the user empties the list of these. */
  redo(options?: { readonly anyway?: boolean }): UndoResult;
  /** Forgets all entries. */
  clear(): void;
  /** Calls `listener` when the entries are others. Returns a function that stops it. */
  watch(listener: () => void): () => void;
  /** Ends it. */
  close(): void;
}

/** What one action did to the stores. */
interface Deed {
  readonly action: AnyAction;
  readonly transition: Transition;
  /** As it was recorded. */
  readonly recorded: readonly StoreChange[];
  /** As it is now, where steps before it are left out or taken in again. */
  changed: readonly StoreChange[];
}

/** An undo or a redo of an entry, and what it did. */
interface Move {
  readonly fact: 'undone' | 'redone';
  readonly touches: Touches;
  /** Another one where steps before it are left out or taken in again. */
  changed: readonly StoreChange[];
}

interface Entry {
  readonly deeds: Deed[];
  time: number;
  readonly group: number | undefined;
  /** Its undos and redos, oldest first. The last one that is shown says whether it is undone at the cursor. */
  moves: readonly Move[];
}

const TYPING_MS = 1000;

const MEMBERS: readonly (keyof UndoStack)[] = [
  ...(['undos', 'redos', 'nextUndo', 'nextRedo', 'undo', 'redo', 'clear', 'watch', 'close'] as const),
];

/**
 * Undo and redo for the user of the application. It holds what code dispatched, not what tasks and storages did; several
 * actions of one `atomic`, and typing, are one entry.
 * @example
 * const edits = undoStack(runtime, { stores: [log] });
 * runtime.dispatch(noteWritten('Fog from the west'));
 * edits.undo();
 */
export function undoStack(runtime: Runtime, options: UndoStackOptions): UndoStack {
  checkOptions('undoStack', options, ['stores', 'limit', 'together', 'except']);
  if (DEV && !Array.isArray(options.stores)) throw badOption('undoStack', 'stores', 'takes a list: stores: [log]');
  const host = hostOf(runtime);
  return faceOf<UndoStack, keyof UndoStack>(new Stack(host, options), MEMBERS, (name, method) => {
    if (name === 'undo' || name === 'redo') host.open(name);
    return host.call(method);
  });
}

class Stack implements UndoStack, Listener {
  /** By name: a reloaded module declares its store once more. */
  private readonly stores: ReadonlySet<string>;
  private readonly except: ReadonlySet<string>;
  private readonly limit: number;
  private entries: Entry[] = [];
  private readonly identities = new Identities();
  private readonly watchers = new Set<() => void>();
  private readonly stop: () => void;
  /** The transitions of undos and redos that were told, by what these knew. */
  private readonly recordedMoves = new WeakMap<Touches, Transition>();

  constructor(
    private readonly host: Extensible,
    private readonly options: UndoStackOptions,
  ) {
    this.stores = new Set(options.stores.map((store) => definitionOf(store).name));
    this.except = namesOf(options.except ?? []);
    this.limit = countOption('undoStack', 'limit', options.limit, 100);
    this.stop = listen(host, this);
  }

  transition(transition: Transition): void {
    const { action, cause, fact, kind, touches } = transition;
    const isMove = fact === 'undone' || fact === 'redone';
    if (touches && isMove) this.recordedMoves.set(touches, transition);
    const changed = transition.changed.filter(({ store, joined }) => this.stores.has(store.name) && !joined);
    if (changed.length === 0) return;
    for (const { before, after } of changed) this.identities.follow(before, after, touches);
    if (isMove) return;
    const isUsers = kind === 'action' && (cause.by === 'code' || cause.by === 'interceptor') && cause.run === undefined;
    if (isUsers && action && !this.except.has(action.type))
      this.push({ action, transition, changed, recorded: changed });
    this.tell();
  }

  recomputed(step: number, changed: readonly StoreChange[]): void {
    for (const { deeds, moves } of this.entries) {
      for (const move of moves) if (this.recordedMoves.get(move.touches)?.step === step) move.changed = changed;
      for (const deed of deeds) {
        if (deed.transition.step !== step) continue;
        const known = new Map(deed.recorded.map((one) => [one.store.name, one]));
        // What is equal keeps its identity, and the next version of an item is that item.
        deed.changed = changed.flatMap((one): StoreChange[] => {
          const old = known.get(one.store.name);
          if (!old && !this.stores.has(one.store.name)) return [];
          const next = { ...one, before: keeping(old?.before, one.before), after: keeping(old?.after, one.after) };
          if (old) {
            this.identities.follow(old.before, next.before, undefined);
            this.identities.follow(old.after, next.after, undefined);
          }
          this.identities.follow(next.before, next.after, undefined);
          return [next];
        });
      }
    }
  }

  travelled(): void {
    this.recognize();
    this.tell();
  }

  /** Learns which items are shown: a past state is made of patches, one without a step is computed; their objects are new. */
  private recognize(): void {
    const shown = shownStates(this.host);
    /** The states that the last deed before the cursor left, and that the first one after it found. */
    const around = new Map<string, { before?: unknown; after?: unknown }>();
    for (const { deeds } of this.entries)
      for (const { transition, changed } of deeds) {
        const isBefore = isShown(this.host, transition);
        for (const { store, before, after } of changed) {
          const known = around.get(store.name) ?? {};
          around.set(store.name, known);
          if (isBefore) known.before = after;
          else known.after ??= before;
        }
      }
    for (const [name, { before, after }] of around)
      for (const known of [before, after]) if (sameData(known, shown[name])) this.identities.same(known, shown[name]);
  }

  committing(transitions: readonly Transition[]): void {
    this.keepMoves(transitions);
  }

  /** Forgets undos and redos that were rolled back: those that are neither told yet nor about to be. */
  private keepMoves(coming: readonly Transition[]): void {
    const { recordedMoves } = this;
    const isComing = ({ touches }: Move): boolean => coming.some((transition) => transition.touches === touches);
    const stays = (move: Move): boolean => recordedMoves.has(move.touches) || isComing(move);
    if (this.entries.every(({ moves }) => moves.every(stays))) return;
    for (const entry of this.entries) entry.moves = entry.moves.filter(stays);
    this.tell();
  }

  /** Another history took the place of the one that the entries belong to. */
  replaced(): void {
    this.clear();
  }

  private push(deed: Deed): void {
    // What the user does now takes the place of what could be done again, also of what is left out at present.
    this.entries = this.entries.filter((entry) => !this.isUndone(entry));
    const { time, group } = deed.transition;
    const last = this.entries.at(-1);
    if (last && this.belongs(last, deed)) {
      last.deeds.push(deed);
      last.time = time;
      return;
    }
    this.entries.push({ deeds: [deed], time, group, moves: [] });
    if (this.entries.length > this.limit) this.entries.shift();
  }

  private belongs({ deeds, time, group }: Entry, deed: Deed): boolean {
    const { transition, action, changed } = deed;
    if (transition.group !== undefined && transition.group === group) return true;
    const last = deeds[deeds.length - 1];
    if (!isNext(last, deed)) return false;
    const ms = transition.time - time;
    if (this.options.together) return this.options.together(action, last.action, ms);
    if (action.type !== last.action.type || ms > TYPING_MS) return false;
    const place = textPlace(changed);
    return place !== undefined && place === textPlace(last.changed);
  }

  undo(options: { readonly anyway?: boolean } = {}): UndoResult {
    checkOptions('undo', options, ['anyway']);
    return this.move('undone', options.anyway ?? false);
  }
  redo(options: { readonly anyway?: boolean } = {}): UndoResult {
    checkOptions('redo', options, ['anyway']);
    return this.move('redone', options.anyway ?? false);
  }

  private move(fact: 'undone' | 'redone', anyway: boolean): UndoResult {
    const isUndo = fact === 'undone';
    const entry = this.next(!isUndo);
    if (!entry) return { became: 'nothing' };
    const title = titleOfEntry(entry);
    const { host } = this;
    let merge: Merge;
    try {
      merge = this.mergeNow(entry, isUndo, anyway);
      host.forbidInside(fact);
      if (host.views.showsPast && !host.isMoving) {
        // What was read of a storage during the look at the past is there on the branch that begins.
        host.leavePast();
        merge = this.mergeNow(entry, isUndo, anyway);
      }
    } catch (error) {
      if (error instanceof MergeConflict) return { became: 'conflict', title, pointer: error.pointer };
      throw error;
    }
    const { from, to, touches } = merge;
    const changed: StoreChange[] = storesOf(host)
      // What an entry came to may be equal to what was before.
      .filter(({ name }) => from[name] !== to[name] && !sameData(from[name], to[name]))
      .map((store) => ({ store, before: from[store.name], after: to[store.name] }));
    if (!state(this.host, changed, fact, { cause: { by: 'code' }, touches })) return { became: 'nothing' };
    // Part of a transaction: should that fail, or the one inside of it that it stands in, nothing was undone.
    if (!this.recordedMoves.has(touches)) this.host.later(() => this.keepMoves([]));
    entry.moves = [...entry.moves, { fact, touches, changed }];
    // What is done next is an entry of its own.
    for (const one of this.entries) one.time = -Infinity;
    this.tell();
    return { became: 'done', title };
  }

  private mergeNow(entry: Entry, isUndo: boolean, anyway: boolean): Merge {
    const from = shownStates(this.host);
    const merging = new Merging(this.identities, anyway);
    return { from, to: this.merged(from, entry, isUndo, merging), touches: merging.touches };
  }

  /** The states without an entry, or with it again, and with all later changes. */
  private merged(states: Tree, entry: Entry, isUndo: boolean, merging: Merging): Tree {
    const next: Record<string, unknown> = { ...states };
    const move = this.lastMove(entry);
    // An undo and a redo take each other back, whatever the first of them came to.
    if (move) {
      for (const { store, before: to, after: from } of move.changed)
        next[store.name] = merging.apply(next[store.name], from, to, `/${escapeKey(store.name)}`);
      return next;
    }
    const { deeds } = entry;
    const counting = deeds.filter(({ transition }) => isShown(this.host, transition));
    for (const { changed } of isUndo ? counting.reverse() : counting)
      for (const { store, before, after } of changed) {
        const { name } = store;
        const [from, to] = isUndo ? [after, before] : [before, after];
        next[name] = merging.apply(next[name], from, to, `/${escapeKey(name)}`);
      }
    return next;
  }

  /** The last undo or redo of an entry, as far as the cursor shows it. */
  private lastMove({ moves }: Entry): Move | undefined {
    for (let i = moves.length - 1; i >= 0; i--) {
      const transition = this.recordedMoves.get(moves[i].touches);
      // One that is not told is part of the transaction that is under way.
      if (transition === undefined || isShown(this.host, transition)) return moves[i];
    }
    return undefined;
  }

  private isUndone(entry: Entry): boolean {
    return this.lastMove(entry)?.fact === 'undone';
  }

  /** Entries of which something is on the line that is shown: the others wait for theirs. */
  private counts({ deeds }: Entry): boolean {
    return deeds.some(({ transition }) => isShown(this.host, transition));
  }

  private all(areUndone: boolean): readonly Entry[] {
    return this.entries.filter((entry) => this.counts(entry) && this.isUndone(entry) === areUndone);
  }

  /** The last one to undo, or the first of those that were undone. */
  private next(isUndone: boolean): Entry | undefined {
    return this.all(isUndone).at(isUndone ? 0 : -1);
  }

  get undos(): number {
    return this.all(false).length;
  }
  get redos(): number {
    return this.all(true).length;
  }
  get nextUndo(): string | undefined {
    return titleOfEntry(this.next(false));
  }
  get nextRedo(): string | undefined {
    return titleOfEntry(this.next(true));
  }

  clear(): void {
    this.entries = [];
    this.tell();
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }

  private tell(): void {
    for (const watcher of [...this.watchers]) {
      try {
        watcher();
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  close(): void {
    this.stop();
    this.clear();
    this.watchers.clear();
  }
}

type Tree = Readonly<Record<string, unknown>>;

/** What an undo or a redo makes of the states now. */
interface Merge {
  readonly from: Tree;
  readonly to: Tree;
  readonly touches: Touches;
}

function titleOfEntry(entry: Entry): string;
function titleOfEntry(entry: Entry | undefined): string | undefined;
function titleOfEntry(entry: Entry | undefined): string | undefined {
  return entry && [...new Set(entry.deeds.map(({ action }) => action.type))].join(', ');
}

/** Whether nothing else changed the stores between two deeds. */
const isNext = (last: Deed, { changed }: Deed): boolean =>
  changed.length === last.changed.length &&
  changed.every(
    ({ store, before }, i) => store.name === last.changed[i].store.name && before === last.changed[i].after,
  );

/** The one text that a deed changed; nothing where it changed anything else. */
function textPlace(changed: readonly StoreChange[]): string | undefined {
  if (changed.length !== 1) return undefined;
  const [{ store, before, after }] = changed;
  const { changes, undo } = difference(before, after, `/${escapeKey(store.name)}`);
  const [there, back] = [changes[0], undo[0]];
  const isText = changes.length === 1 && there.op === 'replace' && typeof there.value === 'string';
  return isText && back.op === 'replace' && typeof back.value === 'string' ? there.path : undefined;
}
