// The application's own undo and redo: what the user did to some stores, one entry after the other.
import {
  badOption,
  checkOptions,
  countOption,
  definitionOf,
  DEV,
  escapeKey,
  type Extensible,
  faceOf,
  hostOf,
  isShown,
  sameData,
  listen,
  type Listener,
  shownStates,
  state,
  type StoreChange,
  storesOf,
  type Touches,
  type Transition,
  Watchers,
} from '../core/internal.js';
import type { AnyAction, AnyCreator, AnyStore, Runtime } from '../core/index.js';
import { MergeConflict, Merging } from './merge.js';
import { namesOf } from './names.js';
import { titleOfEntry, UndoEntries, type UndoEntry } from './undo-entries.js';

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
    return host.notifications.call(method);
  });
}

class Stack implements UndoStack, Listener {
  /** By name: a reloaded module declares its store once more. */
  private readonly stores: ReadonlySet<string>;
  private readonly except: ReadonlySet<string>;
  private readonly entries: UndoEntries;
  private readonly watchers: Watchers;
  private readonly stop: () => void;
  private moves = 0;

  constructor(
    private readonly host: Extensible,
    { stores, except, limit, together }: UndoStackOptions,
  ) {
    this.stores = new Set(stores.map((store) => definitionOf(store).name));
    this.except = namesOf(except ?? []);
    this.entries = new UndoEntries(host, this.stores, countOption('undoStack', 'limit', limit, 100), together);
    this.watchers = new Watchers((error) => host.problem(error));
    this.stop = listen(host, this);
  }

  transition(transition: Transition): void {
    const { action, cause, fact, kind, touches } = transition;
    const isMove = fact === 'undone' || fact === 'redone';
    if (touches && isMove) this.entries.recordedMoves.set(touches, transition);
    const changed = transition.changed.filter(({ store, joined }) => this.stores.has(store.name) && !joined);
    if (changed.length === 0) return;
    for (const { before, after } of changed) this.entries.identities.follow(before, after, touches);
    if (isMove) return;
    const isUsers = kind === 'action' && (cause.by === 'code' || cause.by === 'interceptor') && cause.run === undefined;
    if (isUsers && action && !this.except.has(action.type))
      this.entries.push({ action, transition, changed, recorded: changed });
    this.watchers.tell();
  }

  recomputed(step: number, changed: readonly StoreChange[]): void {
    this.entries.recomputed(step, changed);
  }

  travelled(): void {
    this.entries.recognize();
    this.watchers.tell();
  }

  committing(transitions: readonly Transition[]): void {
    if (this.entries.keepMoves(transitions)) this.watchers.tell();
  }

  /** Another history took the place of the one that the entries belong to. */
  replaced(): void {
    this.clear();
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
    const entry = this.entries.next(!isUndo);
    if (!entry) return { became: 'nothing' };
    const title = titleOfEntry(entry);
    const { host } = this;
    let merge: UndoMerge;
    try {
      merge = this.mergeNow(entry, isUndo, anyway);
      host.forbidInside(fact);
      if (host.views.showsPast && !host.features.isMoving) {
        // What was read of a storage during the look at the past is there on the branch that begins.
        host.features.leavePast();
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
    if (!this.entries.recordedMoves.has(touches)) this.host.later(() => this.committing([]));
    entry.moves = [...entry.moves, { fact, touches, changed, number: this.moves++ }];
    // What is done next is an entry of its own.
    for (const one of this.entries.list) one.time = -Infinity;
    this.watchers.tell();
    return { became: 'done', title };
  }

  private mergeNow(entry: UndoEntry, isUndo: boolean, anyway: boolean): UndoMerge {
    const from = shownStates(this.host);
    const merging = new Merging(this.entries.identities, anyway);
    return { from, to: this.merged(from, entry, isUndo, merging), touches: merging.touches };
  }

  /** The states without an entry, or with it again, and with all later changes. */
  private merged(states: StateTree, entry: UndoEntry, isUndo: boolean, merging: Merging): StateTree {
    const next: Record<string, unknown> = { ...states };
    const move = this.entries.lastMove(entry);
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

  get undos(): number {
    return this.entries.all(false).length;
  }
  get redos(): number {
    return this.entries.all(true).length;
  }
  get nextUndo(): string | undefined {
    return titleOfEntry(this.entries.next(false));
  }
  get nextRedo(): string | undefined {
    return titleOfEntry(this.entries.next(true));
  }

  clear(): void {
    this.entries.list = [];
    this.watchers.tell();
  }

  watch(listener: () => void): () => void {
    return this.watchers.add(listener);
  }

  close(): void {
    this.stop();
    this.clear();
    this.watchers.clear();
  }
}

type StateTree = Readonly<Record<string, unknown>>;

/** What an undo or a redo makes of the states now. */
interface UndoMerge {
  readonly from: StateTree;
  readonly to: StateTree;
  readonly touches: Touches;
}
