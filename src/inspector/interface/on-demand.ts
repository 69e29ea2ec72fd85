// Loads the parts of the interface that are not needed at first. Their elements are defined before they are drawn: in the
// document of a frame nothing is upgraded later.
type Sheet = { readonly cssText: string };

let styles: readonly Sheet[] | undefined;
let loading: Promise<void> | undefined;
const listeners = new Set<() => void>();

export const hasMore = (): boolean => styles !== undefined;
/** The style sheets of these parts, once they are loaded. */
export const stylesOfMore = (): readonly Sheet[] => styles ?? [];
/** Calls `fn` when they are loaded. Returns a function that prevents it. */
export const onMore = (fn: () => void): (() => void) => {
  listeners.add(fn);
  return () => void listeners.delete(fn);
};

export const loadMore = (): Promise<void> =>
  (loading ??= import('./more.js').then(({ defineMore, stylesOfMore }) => {
    defineMore();
    styles = stylesOfMore;
    for (const fn of listeners) fn();
  }));
