// Who answers an action: the changes of stores, and the tasks that it starts.
import { makerOf, type AnyAction, type AnyCreator } from '../model/action.js';
import { unknownAction } from '../base/errors.js';
import type { Cell } from './cell.js';
import { freeTasks, startsWith, type DeclaredTask } from '../model/handled.js';
import { declared, type Change, type StoreDefinition } from '../model/store.js';

/** Who answers actions of one type. */
export interface Handlers {
  readonly maker: AnyCreator | undefined;
  readonly stores: readonly { readonly cell: Cell; readonly changes: readonly Change[] }[];
  readonly tasks: readonly DeclaredTask[];
  /** The only one that answers, with its only change: the common case, for the short way. */
  readonly alone: { readonly cell: Cell; readonly change: Change } | undefined;
}

export const NO_TASKS: readonly DeclaredTask[] = [];

export class HandlerTable {
  /** By action type. Emptied when something is declared or a store joins. */
  private readonly known = new Map<string, Handlers>();
  private declarations = declared;

  constructor(
    private readonly cells: ReadonlyMap<string, Cell>,
    /** Has a store join when it has not. */
    private readonly join: (store: StoreDefinition) => void,
  ) {}

  clear(): void {
    this.known.clear();
  }

  to(action: AnyAction): Handlers {
    if (this.declarations !== declared) {
      this.declarations = declared;
      this.known.clear();
    }
    const { type } = action;
    const maker = makerOf(action);
    const known = this.known.get(type);
    if (known && (maker === undefined || known.maker === maker)) return known;
    if (maker?.store) this.join(maker.store);
    const stores: { readonly cell: Cell; readonly changes: readonly Change[] }[] = [];
    const tasks = freeTasks.filter((task) => startsWith(task, type));
    for (const cell of this.cells.values()) {
      const changes = [...cell.store.changesFor(type)];
      if (changes.length > 0) stores.push({ cell, changes });
      tasks.push(...cell.store.tasks.filter((task) => startsWith(task, type)));
    }
    if (stores.length === 0 && tasks.length === 0 && !maker) throw unknownAction(type, this.types());
    const [only] = stores;
    const isAlone = stores.length === 1 && only.changes.length === 1 && tasks.length === 0;
    const alone = isAlone ? { cell: only.cell, change: only.changes[0] } : undefined;
    const answers = { maker, stores, tasks, alone };
    this.known.set(type, answers);
    return answers;
  }

  private *types(): Iterable<string> {
    for (const { store } of this.cells.values()) yield* store.types();
  }
}
