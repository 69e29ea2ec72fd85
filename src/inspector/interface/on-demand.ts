// Loads the parts of the interface that are not needed at first. Their elements are defined before they are drawn: in the
// document of a frame nothing is upgraded later.
let isLoaded = false;
let loading: Promise<void> | undefined;

export const hasMore = (): boolean => isLoaded;

export const loadMore = (): Promise<void> =>
  (loading ??= import('./more.js').then(({ defineMore }) => {
    defineMore();
    isLoaded = true;
  }));
