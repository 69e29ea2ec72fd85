// What every binding does, whichever the framework.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { act } from 'react';
import { defaultRuntime } from 'floe';
import { storageIn } from 'floe/persist';
import { runs } from '../support/runs.js';
import { frameworks, load, newRuntime, noted, planned, ran, renamed, visits } from './board.js';

setFlagsFromString('--expose-gc');
const gc = runInNewContext('gc') as () => void;

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

/** React wants to know of what changes its components. */
const dispatched = (work: () => unknown): Promise<void> =>
  act(async () => {
    await work();
  });

describe.each(Object.entries(frameworks))('%s', (_name, mount) => {
  const opened = async (runtime = newRuntime()) => {
    const element = document.createElement('div');
    return { runtime, element, board: await mount(runtime, element) };
  };

  test('a component shows the values of its selections, and renders for no others', async () => {
    const someEdit = fc.oneof(
      fc.record({
        kind: fc.constant('renamed' as const),
        at: fc.nat(3),
        name: fc.constantFrom('Auk', 'Ern', 'Gannet'),
      }),
      fc.record({ kind: fc.constantFrom('set' as const, 'plan' as const), at: fc.nat(2) }),
      fc.record({ kind: fc.constant('noted' as const), at: fc.nat(9) }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(someEdit, { maxLength: 12 }), async (edits) => {
        const { runtime, board } = await opened();
        const state = { names: ['Ern', 'Tern', 'Skua'], at: 0 };
        const shown = () => `${state.names.length} ${state.names[state.at]}`;
        expect(await board.text()).toBe(shown());
        for (const edit of edits) {
          const [before, renders] = [shown(), board.renders()];
          if (edit.kind === 'renamed' && edit.at < state.names.length) {
            state.names[edit.at] = edit.name;
            await dispatched(() => runtime.dispatch(renamed(edit)));
          } else if (edit.kind === 'set') board.set((state.at = edit.at));
          else if (edit.kind === 'plan') {
            state.names.push('Petrel');
            await dispatched(() => expect(board.plan('Petrel')).toBe('applied'));
          } else await dispatched(() => runtime.dispatch(noted(String(edit.at))));
          expect(await board.text()).toBe(shown());
          if (renders !== undefined && edit.kind !== 'set' && shown() === before) expect(board.renders()).toBe(renders);
        }
        board.unmount();
        void runtime.close();
      }),
      { numRuns: runs(25) },
    );
  });

  test('a task runs, and what it dispatches is shown', async () => {
    const { runtime, board } = await opened();
    let result: string | undefined;
    await dispatched(async () => {
      result = await board.load('Fulmar');
    });
    expect([result, await board.text(), runtime.read(load.status).phase]).toEqual(['Fulmar', '4 Ern', 'done']);
    board.unmount();
  });

  test('a component that is gone follows nothing', async () => {
    const { runtime, board } = await opened();
    board.set(1);
    expect(await board.text()).toBe('3 Tern');
    board.unmount();
    // A framework may end it a few turns later.
    await new Promise((resolve) => setTimeout(resolve));
    const before = ran.count;
    for (const action of [planned('Fulmar'), renamed({ at: 0, name: 'Auk' }), renamed({ at: 1, name: 'Auk' })])
      runtime.dispatch(action);
    expect(ran.count).toBe(before);
  });

  test('components that are gone are collected, with all that they selected', async () => {
    const runtime = newRuntime();
    const gone: WeakRef<object>[] = [];
    const texts: (string | null)[] = [];
    const rename = (name: string): Promise<void> => dispatched(() => runtime.dispatch(renamed({ at: 0, name })));
    const visit = async (): Promise<void> => {
      const { board } = await opened(runtime);
      gone.push(new WeakRef(board.own));
      await rename(`Auk ${gone.length}`);
      texts.push(await board.text());
      board.unmount();
    };
    for (let i = 0; i < 30; i++) await visit();
    const alive = (): number => gone.filter((one) => one.deref()).length;
    for (let i = 0; i < 10 && alive() > 2; i++) {
      // What was looked at stays until the end of the turn.
      await new Promise((resolve) => setTimeout(resolve, 5));
      gc();
    }
    // A framework may keep what it showed last.
    expect(alive()).toBeLessThanOrEqual(2);
    expect(texts).toEqual(texts.map((_, i) => `3 Auk ${i + 1}`));
  });

  test('a component says that stored states are being read, until they were', async () => {
    let read: (text: string | null) => void = () => undefined;
    const storage = storageIn(() => ({
      read: () => new Promise((resolve) => (read = resolve as typeof read)),
      write: () => Promise.resolve(),
      remove: () => Promise.resolve(),
      keys: () => Promise.resolve([]),
    }));
    const { runtime, board } = await opened(newRuntime({ storage }));
    expect(await board.text()).toBe('3 Ern reading');
    await Promise.resolve();
    await dispatched(async () => {
      read(null);
      await runtime.ready;
    });
    expect(await board.text()).toBe('3 Ern');
    board.unmount();
  });

  test('without a provider components share the default runtime', async () => {
    const element = document.createElement('div');
    const board = await mount(undefined, element);
    const before = defaultRuntime().read(visits).names.length;
    await dispatched(() => defaultRuntime().dispatch(planned('Auk')));
    expect(await board.text()).toBe(`${before + 1} Ern`);
    board.unmount();
  });
});
