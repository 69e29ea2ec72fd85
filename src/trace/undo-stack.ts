// The application's own undo and redo: what the user did to some stores, one entry after the other.
import { difference, differenceOf } from '../core/diff.js';
import { badOption } from '../core/errors.js';
import { faceOf } from '../core/face.js';
import { DEV } from '../core/mode.js';
import { checkOptions } from '../core/options.js';
import { applyPatch, type AnyAction, type AnyStore, type Patch, type Runtime } from '../core/index.js';
import { pointerTo } from '../core/plain.js';
import { parsePointer } from '../core/pointer.js';
import { definitionOf } from '../core/store.js';
import { hostOf, type Host, type Listener, type StoreChange, type Transition } from '../core/transition.js';
import { placeAfter } from './history.js';

/** What became of an undo or a redo. */
export type UndoResult =
  | { readonly became: 'done'; readonly title: string }
  /** There was nothing to take back, or to do again. */
  | { readonly became: 'nothing' }
  /** Something else changed the same place since: nothing was touched. */
  | {
      readonly became: 'conflict';
      readonly title: string;
      /** Where, in the state tree (RFC 6901). */
      readonly pointer: string;
    };

export interface UndoStackOptions {
  /** The stores whose changes are taken back. */
  readonly stores: readonly AnyStore[];
  /** How many entries are kept. Default: 100 */
  readonly limit?: number;
  /**
   * Whether an action belongs to the entry of the one before it. Default: the same type changes the same places again
   * within a second, as typing does.
   * @param ms milliseconds between the two; `Infinity` after an undo or a redo
   */
  readonly together?: (action: AnyAction, before: AnyAction, ms: number) => boolean;
  /** Types of actions that are not taken back. Default: none */
  readonly except?: readonly string[];
}

/** The application's own undo and redo. */
export interface UndoStack {
  /** How many entries can be taken back. */
  readonly undos: number;
  /** How many can be done again. */
  readonly redos: number;
  /** The types of the actions of the next entry to take back. */
  readonly nextUndo: string | undefined;
  readonly nextRedo: string | undefined;
  /**
   * Takes the last entry back: one step of the trace.
   * @param options `anyway: true` also overwrites what was changed since
   */
  undo(options?: { readonly anyway?: boolean }): UndoResult;
  /** Does the entry that was taken back last again. A new action of the user ends that. */
  redo(options?: { readonly anyway?: boolean }): UndoResult;
  /** Forgets all entries. */
  clear(): void;
  /** Calls `listener` when the entries are others. Returns a function that stops it. */
  watch(listener: () => void): () => void;
  /** Ends it. */
  close(): void;
}

interface Entry {
  actions: readonly AnyAction[];
  changes: Patch;
  undo: Patch;
  time: number;
  group: number | undefined;
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
  private readonly done: Entry[] = [];
  private readonly taken: Entry[] = [];
  private readonly watchers = new Set<() => void>();
  private readonly stop: () => void;
  private own = false;

  constructor(
    private readonly host: Host,
    private readonly options: UndoStackOptions,
  ) {
    this.stores = new Set(options.stores.map((store) => definitionOf(store).name));
    this.stop = host.listen(this);
  }

  transition(transition: Transition): void {
    if (this.own) return;
    const changed = transition.changed.filter(({ store }) => this.stores.has(store.name));
    if (changed.length === 0) return;
    const { action, cause } = transition;
    const { changes, undo } = differenceOf({ ...transition, changed });
    const isUsers =
      action &&
      transition.kind === 'action' &&
      (cause.by === 'code' || cause.by === 'interceptor') &&
      cause.run === undefined;
    if (isUsers && !this.options.except?.includes(action.type)) this.push(transition, action, changes, undo);
    else this.carryOver(changes, changed);
    this.tell();
  }

  private push({ time, group }: Transition, action: AnyAction, changes: Patch, undo: Patch): void {
    this.taken.length = 0;
    const last = this.done.at(-1);
    if (last && this.belongs(last, action, changes, time, group)) {
      last.actions = [...last.actions, action];
      last.changes = [...last.changes, ...changes];
      last.undo = [...undo, ...last.undo];
      last.time = time;
      return;
    }
    this.done.push({ actions: [action], changes, undo, time, group });
    if (this.done.length > (this.options.limit ?? 100)) this.done.shift();
  }

  private belongs(last: Entry, action: AnyAction, changes: Patch, time: number, group: number | undefined): boolean {
    if (group !== undefined && group === last.group) return true;
    const before = last.actions[last.actions.length - 1];
    const ms = time - last.time;
    if (this.options.together) return this.options.together(action, before, ms);
    const places = new Set(last.changes.map(({ path }) => path));
    return (
      action.type === before.type &&
      ms <= TYPING_MS &&
      changes.every(({ op, path }) => op === 'replace' && places.has(path)) &&
      last.changes.every(({ op }) => op === 'replace')
    );
  }

  /** Somebody else changed the same stores: what stood at a place may stand at another now. */
  private carryOver(changes: Patch, changed: readonly StoreChange[]): void {
    const tree = (of: 'before' | 'after'): unknown =>
      Object.fromEntries(changed.map((change) => [change.store.name, change[of]]));
    const [before, after] = [tree('before'), tree('after')];
    const moved = (patch: Patch): Patch =>
      patch.map((operation) => {
        const keys = placeAfter(parsePointer(operation.path), changes, before, after);
        return keys ? { ...operation, path: pointerTo(keys) } : operation;
      });
    for (const entry of [...this.done, ...this.taken]) {
      entry.changes = moved(entry.changes);
      entry.undo = moved(entry.undo);
    }
  }

  undo(options: { readonly anyway?: boolean } = {}): UndoResult {
    checkOptions('undo', options, ['anyway']);
    const { anyway = false } = options;
    return this.move(this.done, this.taken, 'undone', anyway);
  }
  redo(options: { readonly anyway?: boolean } = {}): UndoResult {
    checkOptions('redo', options, ['anyway']);
    const { anyway = false } = options;
    return this.move(this.taken, this.done, 'redone', anyway);
  }

  private move(from: Entry[], to: Entry[], fact: 'undone' | 'redone', anyway: boolean): UndoResult {
    const entry = from.at(-1);
    if (!entry) return { became: 'nothing' };
    const title = titleOfEntry(entry);
    const [there, back] = fact === 'undone' ? [entry.undo, entry.changes] : [entry.changes, entry.undo];
    const states = this.host.shown();
    const next = anyway ? applied(states, there) : tried(states, there, back);
    if (typeof next === 'string') return { became: 'conflict', title, pointer: next };
    const changed: StoreChange[] = this.host
      .stores()
      .filter(({ name }) => states[name] !== next[name])
      .map((store) => ({ store, before: states[store.name], after: next[store.name] }));
    this.own = true;
    try {
      if (!this.host.state(changed, fact, { cause: { by: 'code' } })) return { became: 'nothing' };
    } finally {
      this.own = false;
    }
    from.pop();
    to.push(entry);
    // What is done next is an entry of its own.
    for (const one of this.done.slice(-1)) one.time = -Infinity;
    this.tell();
    return { became: 'done', title };
  }

  get undos(): number {
    return this.done.length;
  }
  get redos(): number {
    return this.taken.length;
  }
  get nextUndo(): string | undefined {
    return titleOfEntry(this.done.at(-1));
  }
  get nextRedo(): string | undefined {
    return titleOfEntry(this.taken.at(-1));
  }

  clear(): void {
    this.done.length = this.taken.length = 0;
    this.tell();
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }

  private tell(): void {
    for (const watcher of [...this.watchers]) watcher();
  }

  close(): void {
    this.stop();
    this.clear();
    this.watchers.clear();
  }
}

type Tree = Readonly<Record<string, unknown>>;

function titleOfEntry(entry: Entry): string;
function titleOfEntry(entry: Entry | undefined): string | undefined;
function titleOfEntry(entry: Entry | undefined): string | undefined {
  return entry && [...new Set(entry.actions.map(({ type }) => type))].join(', ');
}

/**
 * The states after a patch, if the way back leads to where we are: then what the patch overwrites is what its entry had
 * left there. Otherwise the pointer at which something else stands.
 */
function tried(states: Tree, there: Patch, back: Patch): Tree | string {
  let next: Tree;
  try {
    next = applyPatch(states, there);
    const again = applyPatch(next, back);
    const [found] = difference(states, again).changes;
    return found ? found.path : next;
  } catch {
    return there[0].path;
  }
}

/** The states after those operations of a patch that can be applied. */
function applied(states: Tree, patch: Patch): Tree {
  let next = states;
  for (const operation of patch) {
    try {
      next = applyPatch(next, [operation]);
    } catch {
      // What it would change is no longer there.
    }
  }
  return next;
}
