// Which stores handle an action, and which tasks it starts.
import { makerOf, type AnyAction, type AnyCreator } from '../model/action.js';
import { DEV } from '../base/mode.js';
import { unknownAction } from '../base/errors.js';
import type { Cell } from './cell.js';
import { freeTasks, freeVersion, startsWith, type DeclaredTask } from '../model/triggers.js';
import { declared, type Change, type StoreDefinition } from '../model/store.js';

/** What handles actions of one type. */
export interface Handlers {
  readonly maker: AnyCreator | undefined;
  readonly stores: readonly { readonly cell: Cell; readonly changes: readonly Change[] }[];
  readonly tasks: readonly DeclaredTask[];
  /** The only handler: the common case, for the short way. */
  readonly alone: { readonly cell: Cell; readonly change: Change } | undefined;
}

export const NO_TASKS: readonly DeclaredTask[] = [];

export class HandlerTable {
  /** By action type: what was asked for, until something new handles the type. Tasks without a store are in no index. */
  private readonly known = new Map<string, Handlers>();
  /** The cells that handle actions of a type, in the order in which their stores joined. */
  private readonly byType = new Map<string, Cell[]>();
  /** The versions of the stores that are in the index, by the index of their cells. */
  private readonly versions: number[] = [];
  private declarations = declared;
  private free = freeVersion;

  constructor(
    private readonly cells: ReadonlyMap<string, Cell>,
    /** Has a store join when it has not. */
    private readonly join: (store: StoreDefinition) => void,
  ) {}

  /** A definition took the place of another one. */
  clear(): void {
    this.known.clear();
    this.byType.clear();
    this.versions.length = 0;
  }

  to(action: AnyAction): Handlers {
    if (this.free !== freeVersion) this.known.clear();
    this.free = freeVersion;
    if (this.declarations !== declared || this.versions.length !== this.cells.size) this.index();
    const { type } = action;
    const maker = makerOf(action);
    const known = this.known.get(type);
    if (known && (maker === undefined || known.maker === maker)) return known;
    if (maker?.store) {
      this.join(maker.store);
      if (this.versions.length !== this.cells.size) this.index();
    }
    const stores: { readonly cell: Cell; readonly changes: readonly Change[] }[] = [];
    const tasks = freeTasks.filter((task) => startsWith(task, type));
    for (const cell of this.byType.get(type) ?? []) {
      const changes = [...cell.store.changesFor(type)];
      if (changes.length > 0) stores.push({ cell, changes });
      tasks.push(...cell.store.tasks.filter((task) => startsWith(task, type)));
    }
    if (stores.length === 0 && tasks.length === 0 && !maker) throw unknownAction(type, this.types());
    const [only] = stores;
    const isAlone = stores.length === 1 && only.changes.length === 1 && tasks.length === 0;
    const alone = isAlone ? { cell: only.cell, change: only.changes[0] } : undefined;
    const handlers = { maker, stores, tasks, alone };
    this.known.set(type, handlers);
    return handlers;
  }

  /** Takes what was declared since, and the stores that joined: only these are looked through. */
  private index(): void {
    this.declarations = declared;
    // An edited module may have taken something back.
    if (DEV) this.known.clear();
    for (const cell of this.cells.values()) {
      const { version } = cell.store;
      if (this.versions[cell.index] === version) continue;
      this.versions[cell.index] = version;
      for (const type of cell.store.types()) this.add(type, cell);
    }
  }

  private add(type: string, cell: Cell): void {
    this.known.delete(type);
    const cells = this.byType.get(type);
    if (!cells) this.byType.set(type, [cell]);
    // The common case: the store joined last.
    else if (cells.at(-1)!.index < cell.index) cells.push(cell);
    else if (!cells.includes(cell)) {
      cells.push(cell);
      cells.sort((a, b) => a.index - b.index);
    }
  }

  private *types(): Iterable<string> {
    for (const { store } of this.cells.values()) yield* store.types();
  }
}
