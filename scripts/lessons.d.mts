export interface Lesson {
  readonly name: string;
  readonly title: string;
  readonly files: readonly { readonly path: string; readonly code: string }[];
  /** Declarations that take the place of those with their names. */
  readonly edits: readonly { readonly path: string; readonly code: string }[];
  readonly appended: readonly { readonly path: string; readonly code: string }[];
  readonly deleted: readonly string[];
  readonly removed: readonly { readonly path: string; readonly name: string }[];
  /** What is to be run when the page has been looked at. */
  readonly commands: readonly string[];
  /** What is to be done and seen, a line each. */
  readonly checks: readonly string[];
}
export const lessons: readonly Lesson[];
export function finished(number: number): ReadonlyMap<string, string>;
