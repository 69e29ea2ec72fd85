import type { AnyAction, Handled } from '../core/index.js';
import { type Change, handlesType, StoreDefinition } from '../core/internal.js';

/** How places are written as addresses, and read again. */
export interface Spelling {
  parse(url: string): unknown;
  hrefOf(place: never): string;
  /** The place that an address can say, of any place that a change gives. */
  settled(place: unknown): unknown;
}

/** A store whose state is a place, and which says what becomes of the browser's history. */
export class LocationDefinition extends StoreDefinition {
  private readonly handled: { readonly actions: Handled; readonly replace: boolean }[] = [];

  /** @param copy the address that it is a copy of */
  constructor(
    name: string,
    start: unknown,
    readonly spelling: Spelling,
    private readonly copy?: {
      readonly of: LocationDefinition;
      readonly original: Parameters<StoreDefinition['again']>[1];
    },
  ) {
    super(name, start, copy?.original);
  }

  override again(name: string, original: Parameters<StoreDefinition['again']>[1]): LocationDefinition {
    return new LocationDefinition(name, this.begin(), this.spelling, { of: this, original });
  }

  /** Whatever a change does: what is in the state is what its address says. */
  override completed(_before: unknown, after: unknown): unknown {
    return this.spelling.settled(after);
  }

  override when(actions: Handled, change: Change, options: { readonly replace?: boolean } = {}): this {
    this.handled.push({ actions, replace: options.replace ?? false });
    return super.when(actions, change);
  }

  /** Whether what an action makes of the address takes the place of the present entry. */
  replaces({ type, payload }: AnyAction): boolean {
    if (type.startsWith(`${this.name}.`))
      return (payload as { readonly replace?: unknown } | undefined)?.replace === true;
    const handlers = this.handlersOf(type);
    return handlers.length > 0 && handlers.every(({ replace }) => replace);
  }

  private handlersOf(type: string): readonly { readonly replace: boolean }[] {
    return [
      ...(this.copy?.of?.handlersOf(type) ?? []),
      ...this.handled.filter(({ actions }) => handlesType(actions, type)),
    ];
  }
}
