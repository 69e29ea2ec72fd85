/** @jest-environment node */
// Components that are rendered to text: they show the state of their runtime, and follow nothing afterwards.
import { expect, test } from '@jest/globals';
import { Writable } from 'node:stream';
import { Suspense, use } from 'react';
import { renderToPipeableStream, renderToString as reactToString, type PipeableStream } from 'react-dom/server';
import { render } from 'svelte/server';
import { createSSRApp } from 'vue';
import { renderToString } from '@vue/server-renderer';
import type { Runtime } from 'floe';
import { RuntimeProvider, useSelection } from 'floe/react';
import { boardSetup, count, newRuntime, planned, ran } from './board.js';
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

test('React: a stream that ends while a part waits leaves nothing behind', async () => {
  const runtime = newRuntime();
  const wrongs: unknown[] = [];
  const never = new Promise<string>(() => undefined);
  const Waiting = () => {
    const all = useSelection(count);
    return <p>{`${all} ${use(never)}`}</p>;
  };
  const board = (
    <RuntimeProvider runtime={runtime}>
      <Suspense fallback={<p>asking</p>}>
        <Waiting />
      </Suspense>
    </RuntimeProvider>
  );
  let text = '';
  const stream = await new Promise<PipeableStream>((resolve) => {
    const made = renderToPipeableStream(board, {
      onShellReady: () => resolve(made),
      onError: (error) => void wrongs.push(error),
    });
  });
  const ended = new Promise((resolve) => {
    stream.pipe(
      new Writable({
        write(chunk: Buffer, _how, done) {
          text += String(chunk);
          done();
        },
      }).on('finish', resolve),
    );
  });
  runtime.dispatch(planned('Auk'));
  stream.abort(new Error('the visitor left'));
  await ended;
  const before = ran.count;
  runtime.dispatch(planned('Auk'));
  expect([text.includes('asking'), wrongs.map(String), ran.count - before]).toEqual([
    true,
    ['Error: the visitor left'],
    0,
  ]);
  await runtime.close();
});

test('Svelte: what a page hydrates is what a server makes', async () => {
  expect(render(...(await svelteParts(newRuntime(), boardSetup()))).body).toBe(SVELTE_TEXT);
});
