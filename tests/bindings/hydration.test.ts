// A page that takes over what a server rendered: it shows the server's state first, then the stored one.
import { expect, jest, test } from '@jest/globals';
import { createSSRApp } from 'vue';
import { renderToString } from '@vue/server-renderer';
import { TextDecoder, TextEncoder } from 'node:util';
import type { Runtime } from 'floe';
import { memoryStorage, storageIn } from 'floe/persist';
import { boardSetup, newRuntime } from './board.js';
import { frameworks, reactBoard, SVELTE_TEXT, vueApp } from './kit.js';
import { eventually } from '../support/eventually.js';
import { storedText } from '../support/stored-text.js';

// What the renderers of servers use, and a simulated page has not.
Object.assign(globalThis, { TextDecoder, TextEncoder });

const STORED = storedText('visits', { names: ['Auk'], note: '' });
const storages = {
  'a storage that responds at once': () => memoryStorage(new Map([['visits', STORED]])),
  'a storage that responds later': () =>
    storageIn(() => ({
      read: () => new Promise((resolve) => setTimeout(() => resolve(STORED), 50)),
      write: () => Promise.resolve(),
      remove: () => Promise.resolve(),
      keys: () => Promise.resolve(['visits']),
    })),
};

const toText: Record<string, (runtime: Runtime) => Promise<string>> = {
  // A simulated page has a document, though this stands for a server.
  React: async (runtime) => {
    const server = await import('react-dom/server.node');
    return server.renderToString(reactBoard(runtime, boardSetup(), true));
  },
  Vue: (runtime) => renderToString(vueApp(createSSRApp, runtime, boardSetup())),
  // Its renderer is there on a server alone.
  Svelte: () => Promise.resolve(SVELTE_TEXT),
};
const cases = Object.keys(toText).flatMap((name) => Object.entries(storages).map((pair) => [name, ...pair] as const));

test.each(cases)('%s hydrates with %s', async (name, _storage, storage) => {
  const complaints = (['warn', 'error'] as const).map((level) =>
    jest.spyOn(console, level).mockImplementation(() => undefined),
  );
  const element = document.createElement('div');
  document.body.replaceChildren(element);
  element.innerHTML = await toText[name](newRuntime());
  const texts: string[] = [];
  const note = (): unknown => texts.push(`${element.textContent.trim()}, ${element.querySelector('p')!.title}`);
  const seen = new MutationObserver(note);
  note();
  const runtime = newRuntime({ storage: storage() });
  seen.observe(element, { subtree: true, childList: true, characterData: true, attributes: true });
  const board = await frameworks[name](runtime, boardSetup(), element, true);
  await runtime.ready;
  await eventually(() => board.text(), '1 Auk');
  note();
  expect([...new Set(texts)]).toEqual(['3 Ern, 3 Ern', '1 Auk, 1 Auk']);
  expect(complaints.flatMap(({ mock }) => mock.calls)).toEqual([]);
  for (const one of complaints) one.mockRestore();
  seen.disconnect();
  board.unmount();
});
