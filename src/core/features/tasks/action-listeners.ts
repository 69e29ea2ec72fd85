// Who waits for which action.
import type { AnyAction } from '../../model/action.js';
import type { Transition } from '../../kernel/transition.js';

/** Told of an action that was applied, and of its transition while there is a recorder. */
export type ActionListener = (action: AnyAction, transition: Transition | undefined) => void;

export class ActionListeners {
  private readonly byType = new Map<string, Set<ActionListener>>();

  /** Whether a run waits for actions of a type. */
  has(type: string): boolean {
    return this.byType.has(type);
  }

  /** Calls `listener` with each action of these types. Returns a function that stops it. */
  add(types: readonly string[], listener: ActionListener): () => void {
    for (const type of types) {
      const known = this.byType.get(type);
      if (known) known.add(listener);
      else this.byType.set(type, new Set([listener]));
    }
    return () => {
      for (const type of types) {
        const listeners = this.byType.get(type);
        if (listeners?.delete(listener) && listeners.size === 0) this.byType.delete(type);
      }
    };
  }

  tell(action: AnyAction, transition: Transition | undefined): void {
    const listeners = this.byType.get(action.type);
    if (listeners) for (const listener of [...listeners]) listener(action, transition);
  }
}
