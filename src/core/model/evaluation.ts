// Development only: whether one evaluation of a module declares something on stores that another module declared. Evaluated
// again it would declare that twice.
let created: WeakSet<object> | undefined;
let isElsewhere = false;

/** A module begins to be evaluated. */
export function evaluationBegan(): void {
  created = new WeakSet();
  isElsewhere = false;
}

/** It has been evaluated. Returns whether it declared something on a store of another module. */
export function evaluationEnded(): boolean {
  created = undefined;
  return isElsewhere;
}

/** A store is declared. */
export const noteStore = (store: object): void => void created?.add(store);

/** Something is declared on a store. */
export function noteDeclaration(store: object): void {
  if (created && !created.has(store)) isElsewhere = true;
}
