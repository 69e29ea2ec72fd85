// What the core has to know of a table: a persistent map of rows by text key, which lives in `floe/entities`. The core
// looks into one through these questions only, so that an application without tables ships none of it.

/** Marks a table, and answers for it. */
export const KEYED: unique symbol = Symbol('floe.keyed');

/** A table, as the core sees it: the reading half of a `Map` from text to rows. Never changed in place. */
export interface Keyed extends ReadonlyMap<string, unknown> {
  readonly [KEYED]: KeyedKind;
}

/** Only for types: under this, a type says what a change sees of it. */
export declare const DRAFTED: unique symbol;

/** How two versions of a table differ. A row that changed its place in the order counts as removed and added. */
export interface KeyedDifference {
  readonly changed: readonly string[];
  /** In the order of the version before. */
  readonly removed: readonly string[];
  /** In the order of the version after. */
  readonly added: readonly string[];
}

/** What the core asks of tables. */
export interface KeyedKind {
  /** The node of a draft of it (a `DraftNode`), below a node, in an `Editing`. */
  node(base: Keyed, parent: object | undefined, editing: object, fresh: boolean): object;
  /** What a selector sees of it, at a `Place`. */
  trackedProxy(raw: Keyed, place: object): object;
  /** Costs what differs, not what both hold. With `most`, nothing where more rows than that differ. */
  difference(before: Keyed, after: Keyed): KeyedDifference;
  difference(before: Keyed, after: Keyed, most: number): KeyedDifference | undefined;
  /** Marks, at a `Place`, the readers of what is now different. */
  changed(place: object, before: Keyed, after: Keyed, touches: object | undefined): void;
  same(a: Keyed, b: Keyed): boolean;
  /** A table that code just made, with its rows replaced; all others, whose rows are known, as they are. */
  resolved(table: Keyed, replace: (row: unknown) => unknown): Keyed;
  /** The key of the row after another in the order. */
  keyAfter(table: Keyed, key: string): string | undefined;
  /** The version with a row put in, or replaced; a new one goes before another, or to the end. */
  with(table: Keyed, key: string, row: unknown, before?: string): Keyed;
  without(table: Keyed, key: string): Keyed;
  /** A version that `put` and `drop` edit in place until it is sealed; nothing is copied before it is edited. */
  edit(table: Keyed): Keyed;
  seal(table: Keyed): Keyed;
  /** Puts a row in, or replaces it; a new one goes before another, or to the end. */
  put(table: Keyed, key: string, row: unknown, before?: string): void;
  drop(table: Keyed, key: string): void;
  /** Development only: the rows that stand in parts not in `settled`; then `settle` puts these parts in. */
  unsettled(table: Keyed, settled: WeakSet<object>): Iterable<readonly [string, unknown]>;
  settle(table: Keyed, settled: WeakSet<object>): void;
}

/** The answers of a table, for what may be one. */
export const keyedKind = (value: unknown): KeyedKind | undefined =>
  typeof value === 'object' && value !== null ? (value as Partial<Keyed>)[KEYED] : undefined;

export const isKeyed = (value: unknown): value is Keyed => keyedKind(value) !== undefined;

/** Makes a table of rows; set by `floe/entities`, which any code that has tables imports. */
export const keyedMaker: { make?: (rows: readonly (readonly [string, unknown])[]) => Keyed } = {};
