import { createApp, defineComponent, h, nextTick, ref, type App, type Component } from 'vue';
import { provideRuntime, useSelection } from 'floe/vue';
import type { Rows, Sides } from './page.js';

function rows(n: number, row: Component, change: (value: number) => void, provide?: (app: App) => void): Rows {
  const all = Array.from({ length: n }, (_, index) => h(row, { key: index, index }));
  const app = createApp({ render: () => all });
  provide?.(app);
  return {
    mount: (place) => void app.mount(place),
    change: async (value) => {
      change(value);
      await nextTick();
    },
    unmount: () => app.unmount(),
  };
}

export const floe: Sides['floe'] = (n, selectionOf, { runtime, change }) => {
  const Row = defineComponent({
    props: { index: { type: Number, required: true } },
    setup({ index }) {
      const value = useSelection(selectionOf(index));
      return () => h('li', value.value);
    },
  });
  return rows(n, Row, change, (app) => provideRuntime(runtime, app));
};

export const own: Sides['own'] = (n, shown) => {
  const value = ref(0);
  const Row = defineComponent({
    props: { index: { type: Number, required: true } },
    setup: (props) => () => h('li', shown(value.value, props.index)),
  });
  return rows(n, Row, (to) => void (value.value = to));
};
