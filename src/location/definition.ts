import type { AnyAction, Handled } from '../core/index.js';
import { type Change, handlesType, StoreDefinition } from '../core/internal.js';

/** A store whose state is a place, and which says what becomes of the browser's history. */
export class LocationDefinition extends StoreDefinition {
  private readonly handled: { readonly actions: Handled; readonly replace: boolean }[] = [];

  /** @param settled the place that an address can say, of any place that a change gives */
  constructor(
    name: string,
    start: unknown,
    private readonly settled: (place: unknown) => unknown,
  ) {
    super(name, start);
  }

  /** Whatever a change does: what is in the state is what its address says. */
  override completed(_before: unknown, after: unknown): unknown {
    return this.settled(after);
  }

  override when(actions: Handled, change: Change, options: { readonly replace?: boolean } = {}): this {
    this.handled.push({ actions, replace: options.replace ?? false });
    return super.when(actions, change);
  }

  /** Whether what an action makes of the address takes the place of the present entry. */
  replaces({ type, payload }: AnyAction): boolean {
    if (type.startsWith(`${this.name}.`))
      return (payload as { readonly replace?: unknown } | undefined)?.replace === true;
    const handlers = this.handled.filter(({ actions }) => handlesType(actions, type));
    return handlers.length > 0 && handlers.every(({ replace }) => replace);
  }
}
