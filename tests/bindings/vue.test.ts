// What only Vue asks for: a page that takes over what a server rendered, scopes without components, effects that dispatch.
import { expect, jest, test } from '@jest/globals';
import { createSSRApp, effectScope, h, nextTick, ref, watchEffect } from 'vue';
import { renderToString } from '@vue/server-renderer';
import { memoryStorage } from 'floe/persist';
import { provideRuntime, useAction, useReady, useSelection } from 'floe/vue';
import { count, nameOf, newRuntime, noted, planned, renamed, vueBoard } from './board.js';

test('a page that hydrates shows what the server rendered, and then the stored state', async () => {
  const toText = createSSRApp(vueBoard({ renders: 0 }, {}));
  provideRuntime(newRuntime(), toText);
  const element = document.createElement('div');
  element.innerHTML = await renderToString(toText);
  const kept = new Map([['visits', '{"floe":"stored","version":1,"state":{"names":["Auk"],"note":""}}']]);
  const tally = { renders: 0 };
  const app = createSSRApp(vueBoard(tally, {}));
  provideRuntime(newRuntime({ storage: memoryStorage(kept) }), app);
  const warned = jest.spyOn(console, 'warn').mockImplementation(() => undefined);
  app.mount(element);
  expect([element.textContent, tally.renders]).toEqual(['3 Ern', 1]);
  await nextTick();
  expect([element.textContent, tally.renders, warned.mock.calls]).toEqual(['1 Auk', 2, []]);
  warned.mockRestore();
  app.unmount();
});

test('a scope without a component follows until it is stopped', () => {
  const runtime = newRuntime();
  const app = createSSRApp({ render: () => h('p') });
  provideRuntime(runtime, app);
  const scope = effectScope();
  const at = ref(0);
  const [name, isReady] = app.runWithContext(() =>
    scope.run(() => [useSelection((read) => read(nameOf(at.value))), useReady()] as const)!,
  );
  runtime.dispatch(renamed({ at: 0, name: 'Auk' }));
  expect([name.value, isReady.value]).toEqual(['Auk', true]);
  at.value = 1;
  expect(name.value).toBe('Tern');
  runtime.dispatch(renamed({ at: 1, name: 'Petrel' }));
  expect(name.value).toBe('Petrel');
  scope.stop();
  runtime.dispatch(renamed({ at: 1, name: 'Gannet' }));
  expect(name.value).toBe('Petrel');
});

test('an effect that dispatches runs again only for what it reads', () => {
  const runtime = newRuntime();
  const app = createSSRApp({ render: () => h('p') });
  provideRuntime(runtime, app);
  let runs = 0;
  app.runWithContext(() =>
    effectScope().run(() => {
      const all = useSelection(count);
      const plan = useAction(planned);
      watchEffect(
        () => {
          runs++;
          if (runs < 20) plan('Auk');
        },
        { flush: 'sync' },
      );
      watchEffect(() => all.value, { flush: 'sync' });
    }),
  );
  runtime.dispatch(noted('fog'));
  runtime.dispatch(planned('Ern'));
  expect([runs, runtime.read(count)]).toEqual([1, 5]);
});
