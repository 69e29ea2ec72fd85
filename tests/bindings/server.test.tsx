/** @jest-environment node */
// Components that are rendered to text: they show the state of their runtime, and follow nothing afterwards.
import { expect, test } from '@jest/globals';
import { renderToString as reactToString } from 'react-dom/server';
import { render } from 'svelte/server';
import { createSSRApp } from 'vue';
import { renderToString } from '@vue/server-renderer';
import type { Runtime } from 'floe';
import { boardSetup, newRuntime, planned, ran } from './board.js';
import { reactBoard, SVELTE_TEXT, svelteParts, vueApp } from './kit.js';

const rendered: [string, (runtime: Runtime | undefined) => Promise<string>][] = [
  [
    'Vue',
    (runtime) => {
      const app = vueApp(createSSRApp, runtime, boardSetup());
      app.config.warnHandler = () => undefined;
      return renderToString(app);
    },
  ],
  ['Svelte', async (runtime) => render(...(await svelteParts(runtime, boardSetup()))).body],
  ['React', (runtime) => Promise.resolve(reactToString(reactBoard(runtime, boardSetup())))],
];

test.each(rendered)(
  '%s: a component shows the state of its own runtime, and follows nothing',
  async (_name, toText) => {
    const [one, other] = [newRuntime(), newRuntime()];
    other.dispatch(planned('Auk'));
    expect([await toText(one), await toText(other)]).toEqual([
      expect.stringContaining('3 Ern'),
      expect.stringContaining('4 Ern'),
    ]);
    const before = ran.count;
    one.dispatch(planned('Auk'));
    expect(ran.count).toBe(before);
  },
);

test.each(rendered)('%s: without a runtime of its own a component is not rendered', async (_name, toText) => {
  await expect((async () => toText(undefined))()).rejects.toMatchObject({ code: 'FLOE_NO_RUNTIME' });
});

test('Svelte: what a page hydrates is what a server makes', async () => {
  expect(render(...(await svelteParts(newRuntime(), boardSetup()))).body).toBe(SVELTE_TEXT);
});
