// What every binding does, whichever the framework.
import { describe, expect, jest, test } from '@jest/globals';
import fc from 'fast-check';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { defaultRuntime, selector, store, task } from 'floe';
import { storageIn } from 'floe/persist';
import { isWatched, liveSources, observeIn, readerOf } from '../../src/core/features/live.js';
import { hostOf } from '../../src/core/kernel/attachment.js';
import { runs } from '../support/runs.js';
import {
  boardSetup,
  count,
  load,
  nameOf,
  newRuntime,
  noted,
  planned,
  ran,
  renamed,
  visits,
  type Board,
} from './board.js';
import { frameworks, withoutFramework, type Kit, type Setup } from './kit.js';

setFlagsFromString('--expose-gc');
const gc = runInNewContext('gc') as () => void;

const log = store('log', { entries: [] as { text: string; tags?: string[] }[] });
const written = log.action('written', (draft, entry: { text: string }) => void draft.entries.push(entry));
const write = task(log, 'write', ({ dispatch }, { entry }: { entry: { text: string } }) => {
  dispatch(written(entry));
  return Promise.resolve();
});
const containing = log.selector(
  'containing',
  ({ entries }, { text }: { text: string }) => entries.filter((one) => one.text.includes(text)).length,
);
const twice = selector('twice', (read) => 2 * read(count));
const firstName = visits.selector('firstName', ({ names }) => {
  if (names[0] === '') throw new Error('no name');
  return names[0];
});

describe.each(Object.entries({ ...frameworks, ...withoutFramework }))('%s', (framework, mount) => {
  const isByHand = framework in withoutFramework;
  // What React gives a component is what it renders: it does not change meanwhile.
  const isRendered = framework === 'React';
  const hasProxies = framework === 'Vue' || framework === 'Svelte';
  const opened = async (runtime = newRuntime(), board: Partial<Board> = {}) => {
    const mounted = await mount(runtime, boardSetup(board));
    return { runtime, board: Object.assign(board as Board, mounted) };
  };
  const shows = async (setup: Setup, runtime = newRuntime()) => ({ runtime, ...(await mount(runtime, setup)) });

  test('an inspector counts a component as a watcher of what it shows, and sees that it was notified', async () => {
    const runtime = newRuntime();
    const host = hostOf(runtime);
    const { text, unmount } = await shows(({ select }) => {
      const both = select(twice);
      const inline = select((read) => -read(twice));
      return () => `${both()} ${inline()}`;
    }, runtime);
    await text();
    const watchers = () => liveSources(host).map((one) => `${one.name} ${one.watchers} ${isWatched(one.reader)}`);
    expect(watchers()).toContain('twice 1 true');
    const notified: string[] = [];
    const end = observeIn(host, {
      computed: () => undefined,
      notified: (reader) => notified.push(readerOf(reader)?.name ?? ''),
    });
    runtime.dispatch(planned('Petrel'));
    await text();
    runtime.dispatch(noted('fog'));
    await text();
    // Without a framework the test itself names what it selects.
    expect(notified.sort()).toEqual([framework === 'No framework' ? 'selection' : '', 'twice']);
    end();
    unmount();
    // Some frameworks end what follows a few turns later.
    await new Promise((resolve) => setTimeout(resolve));
    expect(watchers().filter((one) => one.endsWith('true'))).toEqual([]);
  });

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
          const [before, renders] = [shown(), board.renders];
          if (edit.kind === 'renamed' && edit.at < state.names.length) {
            state.names[edit.at] = edit.name;
            runtime.dispatch(renamed(edit));
          } else if (edit.kind === 'set') board.own.at = state.at = edit.at;
          else if (edit.kind === 'plan') {
            state.names.push('Petrel');
            expect(board.plan('Petrel')).toBe('applied');
          } else runtime.dispatch(noted(String(edit.at)));
          expect(await board.text()).toBe(shown());
          if (edit.kind !== 'set' && shown() === before) expect(board.renders).toBe(renders);
        }
        board.unmount();
        void runtime.close();
      }),
      { numRuns: runs(25) },
    );
  });

  test('a task runs, and what it dispatches is shown', async () => {
    const { runtime, board } = await opened();
    expect(await board.load('Fulmar')).toBe('Fulmar');
    expect([await board.text(), runtime.read(load.status).phase]).toEqual(['4 Ern', 'done']);
    board.unmount();
  });

  test('a component that is gone follows nothing', async () => {
    const { runtime, board } = await opened();
    board.own.at = 1;
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
    const visit = async (): Promise<void> => {
      const { board } = await opened(runtime);
      gone.push(new WeakRef(board.first));
      runtime.dispatch(renamed({ at: 0, name: `Auk ${gone.length}` }));
      texts.push(await board.text());
      board.unmount();
    };
    for (let i = 0; i < runs(30); i++) await visit();
    const alive = (): number => gone.filter((one) => one.deref()).length;
    // A framework may keep what it showed last. By hand a selector is made for each component: these stay up to a number.
    const most = isByHand ? 2000 : 2;
    for (let i = 0; i < 10 && alive() > most; i++) {
      // What was looked at stays until the end of the turn.
      await new Promise((resolve) => setTimeout(resolve, 5));
      gc();
    }
    expect(alive()).toBeLessThanOrEqual(most);
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
    read(null);
    await runtime.ready;
    expect(await board.text()).toBe('3 Ern');
    board.unmount();
  });

  test('without a provider components share the default runtime; development reports another one', async () => {
    const said = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    const other = newRuntime();
    const board = await mount(undefined, boardSetup());
    const before = defaultRuntime().read(visits).names.length;
    defaultRuntime().dispatch(planned('Auk'));
    expect(await board.text()).toBe(`${before + 1} Ern`);
    // Once, whichever framework asked first.
    const codes = said.mock.calls.map(([error]) => (error as { code?: string }).code);
    expect(codes.filter((code) => code !== 'FLOE_NO_PROVIDER')).toEqual([]);
    expect(codes.length).toBe(framework === 'React' && process.env.NODE_ENV !== 'production' ? 1 : 0);
    said.mockRestore();
    board.unmount();
    void other.close();
  });

  test('what is read before the component is mounted is followed', async () => {
    const board = await shows((kit) => {
      const all = kit.select(count);
      const also = kit.select((read) => read(count) * 10);
      const plan = kit.action(planned);
      const [status, run] = [kit.select(load.status), kit.task(load)];
      const phase = kit.derived(() => status().phase);
      const early = `${all()} ${also()} ${phase()}`;
      kit.effect(() => {
        if (all() < 4) plan('Auk');
      });
      kit.effect(() => {
        if (phase() === 'idle') void run('Fulmar');
      });
      return () => `${all()} ${also()} ${phase()} (${early})`;
    });
    await board.text();
    const early = isRendered ? '5 50 done' : '3 30 idle';
    expect(await board.text()).toBe(`5 50 done (${early})`);
    board.unmount();
  });

  const tracking = isRendered ? test.skip : test;
  (isByHand ? test.skip : tracking)(
    'an effect that dispatches does not come to depend on what others read',
    async () => {
      let effects = 0;
      let other = { at: 0 };
      const board = await shows((kit) => {
        other = kit.state({ at: 1 });
        const shown = kit.select((read) => read(count) * other.at);
        const plan = kit.action(planned);
        kit.effect(() => {
          effects++;
          if (effects < 5) plan('Auk');
        });
        return () => String(shown());
      });
      const seen: number[] = [];
      board.runtime.watch(count, () => seen.push(other.at));
      expect(await board.text()).toBe('4');
      other.at = 10;
      expect(await board.text()).toBe('40');
      board.runtime.dispatch(planned('Ern'));
      expect([await board.text(), effects, seen]).toEqual(['50', 1, [10]]);
      board.unmount();
    },
  );

  test("a framework's own state becomes plain data in payloads and arguments", async () => {
    const parts: Partial<Pick<Kit, 'task' | 'action'>> & { form?: { text: string; tags: string[] } } = {};
    const board = await shows((kit) => {
      const form = kit.state({ text: 'fog', tags: ['north'] });
      const matching = kit.select((read) => read(containing({ ...form })));
      // An object of the others is handed over as plain data.
      const given = hasProxies ? form : { ...form, tags: [...form.tags] };
      const [add, run] = [kit.action(written), kit.task(write)];
      Object.assign(parts, { form, add: () => add(given), run: () => run({ entry: given }) });
      return () => String(matching());
    });
    const { form, add, run } = parts as unknown as {
      form: { text: string; tags: string[] };
      add(): void;
      run(): unknown;
    };
    add();
    add();
    await run();
    if (hasProxies) board.runtime.dispatch(written(form));
    const { entries } = board.runtime.read(log);
    const before = JSON.stringify(entries);
    const [one, two] = entries;
    expect(one).toEqual({ text: 'fog', tags: ['north'] });
    expect(await board.text()).toBe(String(entries.length));
    form.text = 'gale';
    form.tags.push('south');
    expect([JSON.stringify(board.runtime.read(log).entries), one === two, one.tags === two.tags]).toEqual([
      before,
      !hasProxies,
      !hasProxies,
    ]);
    expect(await board.text()).toBe('0');
    board.unmount();
  });

  tracking('all selections are invalid before the first watcher is notified', async () => {
    const seen: number[][] = [];
    let look = (): unknown => undefined;
    const board = await shows((kit) => {
      const [all, double] = [kit.select(count), kit.select((read) => read(twice))];
      const sum = kit.derived(() => all() + double());
      look = () => seen.push([all(), double(), sum()]);
      return () => `${all()} ${double()} ${sum()}`;
    });
    board.runtime.watch(count, look);
    board.runtime.dispatch(planned('Auk'));
    expect(seen).toEqual([[4, 8, 12]]);
    expect(await board.text()).toBe('4 8 12');
    board.unmount();
  });

  tracking('what a selector throws is thrown where it is read, and its next value is shown', async () => {
    const board = await shows((kit) => {
      const names = [kit.select(firstName), kit.select((read) => read(firstName))];
      return () => {
        try {
          return names.map((one) => one()).join();
        } catch (error) {
          return String(error);
        }
      };
    });
    const texts: (string | null)[] = [];
    for (const name of ['Auk', '', 'Tern', '', 'Skua']) {
      board.runtime.dispatch(renamed({ at: 0, name }));
      texts.push(await board.text());
    }
    expect(texts).toEqual(['Auk,Auk', 'Error: no name', 'Tern,Tern', 'Error: no name', 'Skua,Skua']);
    board.unmount();
  });

  (isByHand ? test.skip : test)('outside of a component there is no runtime to ask for', async () => {
    let kit: Kit | undefined;
    const board = await shows((given) => {
      kit = given;
      return () => '';
    });
    const said = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    for (const call of [
      () => kit!.select(nameOf(0)),
      () => kit!.action(planned),
      () => kit!.task(load),
      () => kit!.ready(),
    ])
      expect(call).toThrow(hasProxies ? expect.objectContaining({ code: 'FLOE_OUTSIDE_COMPONENT' }) : Error);
    said.mockRestore();
    board.unmount();
  });
});
