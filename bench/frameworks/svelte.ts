import { flushSync, mount, unmount } from 'svelte';
import FloeRows from './FloeRows.svelte';
import OwnRows from './OwnRows.svelte';
import type { Rows, Sides } from './page.js';

function rows(component: typeof FloeRows, props: object, change: (value: number) => void): Rows {
  let mounted: object;
  return {
    mount(target) {
      mounted = mount(component, { target, props: props as never });
      flushSync();
    },
    change(value) {
      change(value);
      flushSync();
    },
    unmount: () => void unmount(mounted as never),
  };
}

export const floe: Sides['floe'] = (n, selectionOf, { runtime, change }) =>
  rows(FloeRows, { n, selectionOf, runtime }, change);

export const own: Sides['own'] = (n, shown) => {
  const parts: { change?: (value: number) => void } = {};
  return rows(OwnRows, { n, parts, shown }, (value) => parts.change!(value));
};
