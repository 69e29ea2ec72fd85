// What only Vue asks for: scopes without components, nodes that are shown again.
import { expect, test } from '@jest/globals';
import { createApp, defineComponent, effectScope, h, nextTick, ref, watchEffect } from 'vue';
import type { Problem } from 'floe';
import { provideRuntime, useReady, useSelection } from 'floe/vue';
import { count, nameOf, newRuntime, planned, renamed } from './board.js';

test('a scope without a component follows until it is stopped', () => {
  const runtime = newRuntime();
  const app = createApp({ render: () => h('p') });
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
  let runs = 0;
  watchEffect(() => (runs++, name.value), { flush: 'sync' });
  runtime.dispatch(renamed({ at: 1, name: 'Gannet' }));
  // What is read is the present value; nothing follows it.
  expect([name.value, runs]).toEqual(['Gannet', 1]);
});

test('a selection without a scope is read, and development says that nothing follows it', () => {
  const problems: Problem[] = [];
  const runtime = newRuntime({ onProblem: (problem: Problem) => problems.push(problem) });
  const app = createApp({ render: () => h('p') });
  provideRuntime(runtime, app);
  const all = app.runWithContext(() => useSelection(count));
  runtime.dispatch(planned('Auk'));
  expect([all.value, problems]).toMatchObject([4, [{ error: { code: 'FLOE_NO_SCOPE' } }]]);
});

test('a node that is shown again begins with the present state', async () => {
  const runtime = newRuntime();
  const shown = ref(true);
  const seen: number[] = [];
  const Count = defineComponent(() => {
    const all = useSelection(count);
    seen.push(all.value);
    return () => h('p', all.value);
  });
  const node = h(Count);
  const app = createApp({ render: () => (shown.value ? node : null) });
  provideRuntime(runtime, app);
  app.mount(document.createElement('div'));
  runtime.dispatch(planned('Auk'));
  for (const next of [false, true]) {
    shown.value = next;
    await nextTick();
  }
  expect(seen).toEqual([3, 4]);
  app.unmount();
});
