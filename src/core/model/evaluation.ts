// Development only: what a module declares on the stores of other modules. Evaluated after an edit, it declares that once more,
// and what it declared before goes.

/** One thing that is declared on a store. */
interface Declaration {
  readonly store: object;
  /** Its kind and name, where it has a name. */
  readonly key?: string | undefined;
  readonly add: () => unknown;
  readonly remove: () => unknown;
}

interface Evaluation {
  readonly module: string;
  readonly ownStores: WeakSet<object>;
  /** On stores of other modules. */
  readonly declarations: Declaration[];
}

let current: Evaluation | undefined;
/** What each module that was evaluated declares on the stores of others. */
const elsewhere = new Map<string, readonly Declaration[]>();

/** A module begins to be evaluated. */
export function evaluationBegan(module: string): void {
  current = { module, ownStores: new WeakSet(), declarations: [] };
}

/**
 * It has been evaluated: what it declares on the stores of others takes the place of what it declared there before.
 * @returns false where another module was evaluated in between, so that it is unknown which of them declared what
 */
export function evaluationEnded(module: string): boolean {
  const ended = current;
  current = undefined;
  if (ended?.module !== module) return false;
  const before = elsewhere.get(module);
  elsewhere.set(module, ended.declarations);
  if (!before) return true;
  for (const { remove } of before) remove();
  for (const { add } of ended.declarations) add();
  return true;
}

/** Whether a module, as it was evaluated last, declares something on the stores of others. */
export const declaresElsewhere = (module: string): boolean => (elsewhere.get(module) ?? []).length > 0;

/** A store is declared. */
export const noteStore = (store: object): void => void current?.ownStores.add(store);

/** Declares something on a store: at once, but where its module is evaluated again, when that has come to its end. */
export function declareOn(declaration: Declaration): void {
  if (!current || current.ownStores.has(declaration.store)) {
    declaration.add();
    return;
  }
  current.declarations.push(declaration);
  if (!elsewhere.has(current.module)) declaration.add();
}

/** Whether a name on a store is taken only by what the module declared before it was edited. */
export function isDeclaredAgain(store: object, key: string): boolean {
  const isIt = (one: Declaration): boolean => one.store === store && one.key === key;
  return Boolean(current && elsewhere.get(current.module)?.some(isIt) && !current.declarations.some(isIt));
}

/** Does what no module declares by itself: it stays when one of those that ask for it is edited. */
export function unfollowed<T>(work: () => T): T {
  const before = current;
  current = undefined;
  try {
    return work();
  } finally {
    current = before;
  }
}
