// What every storage must do, whatever it is made of: at once or later, with or without adding to texts.
import { afterAll, describe, expect, test } from '@jest/globals';
import { createRuntime, store, type PersistOptions, type Problem } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { storageIn, type StorageArea, type StoredItem } from 'floe/persist';
import { recording, undoStack } from 'floe/trace';
import { storedText } from '../support/stored-text.js';

interface Log {
  note: string;
  draft: string;
  at: Date;
}
const declare = (options: PersistOptions<Log> = { only: ['note', 'at'] }) => {
  const log = store('log', { note: '', draft: '', at: new Date(0) }).persisted(options);
  const written = log.action('written', (draft, note: string) => {
    draft.note = note;
    draft.draft = note;
  });
  return { log, written };
};

/** Closed after the tests: what waits to be stored again keeps a process from ending. */
const sessions: { close(): Promise<void> }[] = [];

/** Opens a new session on a place. */
export async function begin<S extends Parameters<typeof createRuntime>[0] & { stores: unknown }>(
  area: StorageArea,
  stores: S['stores'],
  { writeAfter = 0, wait = true } = {},
) {
  const problems: Problem[] = [];
  const runtime = createRuntime({
    stores: stores as never,
    trace: recording(),
    storage: storageIn(() => area, { writeAfter }),
    clock: () => 7_000,
    onProblem: (problem) => problems.push(problem),
  });
  sessions.push(runtime);
  if (wait) await runtime.ready;
  const codes = (): unknown[] => problems.map(({ error }) => (error as { code?: string }).code ?? error);
  return { runtime, persistence: runtime.persistence, codes };
}

/** How much was written to an area. */
const counting = (area: StorageArea) => {
  let written = 0;
  const counted: StorageArea = {
    ...area,
    write(key, text) {
      written += text.length;
      return area.write(key, text);
    },
    ...(area.append && {
      append(key: string, text: string) {
        written += text.length;
        return area.append!(key, text);
      },
    }),
  };
  return { area: counted, written: () => written };
};

/** Runs the shared tests. `open` gives a new, empty place, and each call of what it returns opens that place once more. */
export function storageContract(name: string, open: () => Promise<() => StorageArea> | (() => StorageArea)): void {
  const textOf = async (area: StorageArea, key: string): Promise<string | undefined> => area.read(key);

  describe(`${name} as a storage`, () => {
    afterAll(async () => {
      await Promise.all(sessions.splice(0).map((one) => one.close()));
    });

    test('the storage keeps the parts that persisted() names, and their state comes as a step', async () => {
      const area = await open();
      const first = declare();
      const { runtime, persistence } = await begin(area(), [first.log]);
      runtime.dispatch(first.written('shore power is out'));
      expect(await persistence.flush()).toBe(true);
      void runtime.close();
      const second = declare();
      const next = await begin(area(), [second.log]);
      expect(next.runtime.read(second.log)).toEqual({ note: 'shore power is out', draft: '', at: new Date(0) });
      expect(next.runtime.trace.steps.map((step) => [step.fact, step.cause.by])).toEqual([
        ['initial', 'runtime'],
        ['rehydrated', 'storage'],
      ]);
      expect([next.persistence.status, next.codes()]).toEqual(['ready', []]);
    });

    test('the storage keeps a revert, and a branch out of the past as one change', async () => {
      const area = await open();
      const { log, written } = declare();
      const { runtime, persistence } = await begin(area(), [log]);
      const edits = undoStack(runtime, { stores: [log] });
      runtime.dispatch(written('second'));
      await persistence.flush();
      edits.undo();
      await persistence.flush();
      const stored = async (): Promise<unknown> => ((await persistence.list())[0].state as Log).note;
      expect(await stored()).toBe('');
      edits.redo();
      await persistence.flush();
      expect(await stored()).toBe('second');
      runtime.trace.back();
      runtime.trace.back();
      await persistence.flush();
      expect(await stored()).toBe('second');
      runtime.dispatch(written('from the past'));
      await persistence.flush();
      expect(await stored()).toBe('from the past');
      void runtime.close();
    });

    test('every kind of value comes back as it was', async () => {
      const area = await open();
      const values = () => {
        const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
        const port = tables('port', [berth]).persisted();
        const odd = store('odd', {
          seen: new Map<unknown, unknown>(),
          all: new Set<unknown>([1n]),
          view: { day: 'd', open: true },
        });
        odd.persisted({ except: ['/view/open'] });
        const changed = odd.action('changed', (draft, to: number) => {
          draft.seen = new Map<unknown, unknown>([[new Date(to), { to: undefined }]]);
          draft.all = new Set([BigInt(to), -0, NaN]);
          draft.view = { day: `day ${to}`, open: false };
        });
        return { berth, port, odd, changed };
      };
      const own = values();
      const { runtime, persistence } = await begin(area(), [own.port, own.odd]);
      const many = Array.from({ length: 60 }, (_, i) => ({ id: String(60 - i), depth: i }));
      runtime.dispatch(own.port.put(own.berth, many));
      runtime.dispatch(own.changed(1));
      await persistence.flush();
      runtime.dispatch(
        own.port.put(own.berth, [
          { id: '7', depth: -0 },
          { id: '__proto__', depth: 1 },
        ]),
      );
      runtime.dispatch(own.changed(2));
      await persistence.flush();
      const expected = runtime.snapshot() as { odd: { view: object } };
      const keys = [...runtime.read(own.port).berth.keys()];
      void runtime.close();
      const again = values();
      const next = await begin(area(), [again.port, again.odd]);
      expect(next.runtime.snapshot()).toEqual({
        ...expected,
        odd: { ...expected.odd, view: { day: 'day 2', open: true } },
      });
      expect([...next.runtime.read(again.port).berth.keys()]).toEqual(keys);
      expect(next.codes()).toEqual([]);
    });

    test('a write holds the changes, and the whole state once the changes are as long', async () => {
      const place = await open();
      const large = () => {
        const rows = store('rows', { list: Array.from({ length: 120 }, (_, i) => ({ id: i, phase: 'expected' })) });
        rows.persisted();
        const moved = rows.action('moved', (draft, [at, phase]: [number, string]) => {
          draft.list[at].phase = phase;
        });
        return { rows, moved };
      };
      const { area, written } = counting(place());
      const { rows, moved } = large();
      const { runtime, persistence } = await begin(area, [rows]);
      const write = async (at: number, phase: string): Promise<number> => {
        const before = written();
        runtime.dispatch(moved([at, phase]));
        await persistence.flush();
        return written() - before;
      };
      const whole = await write(0, 'alongside');
      const sizes: number[] = [];
      // Only one writer's log grows by changes.
      for (let i = 0; i < (area.isShared ? 20 : 110); i++) sizes.push(await write(i, `p${i}`));
      const changes = sizes.filter((size) => size < whole / 2);
      const sum = (all: number[]): number => all.reduce((total, size) => total + size, 0);
      // Where several devices write, only a whole text can be written without losing what another one wrote.
      if (!area.isShared) {
        expect([changes.length < 110, Math.max(...changes) < 200]).toEqual([true, true]);
        expect(sum(sizes) + whole).toBeLessThan(3 * sum(changes) + 2 * whole);
      }
      // It goes on where the session before ended.
      const state = runtime.read(rows);
      void runtime.close();
      const again = large();
      const next = await begin(place(), [again.rows]);
      expect(next.runtime.read(again.rows)).toEqual(state);
      next.runtime.dispatch(again.moved([5, 'departed']));
      await next.persistence.flush();
      const [item] = await next.persistence.list();
      expect([item.changes! > 0, (item.state as typeof state).list[5]]).toEqual([
        !area.isShared,
        { id: 5, phase: 'departed' },
      ]);
      expect(next.codes()).toEqual([]);
    });

    test.each([
      ['text that is not JSON', '{"floe":'],
      ['text of another program', '{"note":"x"}'],
      ['a text that is nothing', ''],
      ['another shape', storedText('log', [1])],
      ['an unknown kind of value', storedText('log', { note: { 'floe:type': 'comet' } })],
      ['a wrong checksum', '{"sum":"00000000","floe":"stored","format":2,"store":"log","version":1,"state":{}}\n'],
    ])('sets aside %s with the reason, reports it, and goes on', async (_what, text) => {
      const area = await open();
      await area().write('log', text);
      const own = declare();
      const { runtime, persistence, codes } = await begin(area(), [own.log]);
      if (area().isShared && text === '') {
        // It may have been cut short on its way: it is read again, and nothing takes its place.
        expect([codes(), await persistence.flush()]).toEqual([['FLOE_STORAGE_UNREADABLE'], false]);
        expect(await textOf(area(), 'log')).toBe('');
        void runtime.close();
        return;
      }
      expect([runtime.read(own.log).note, codes()]).toEqual(['', ['FLOE_STORED_DAMAGED']]);
      const all = await persistence.list();
      // On a server it stays until something takes its place.
      const items = area().isShared ? all.filter(({ kind }) => kind === 'set aside') : all;
      expect(items).toEqual([
        {
          store: 'log',
          kind: 'set aside',
          key: 'log.aside.7000',
          text,
          time: 7_000,
          size: text.length,
          why: expect.any(String) as unknown,
        },
      ]);
      expect(items[0].why!.length).toBeGreaterThan(10);
      if (area().isShared) expect(await textOf(area(), 'log')).toBe(text);
      runtime.dispatch(own.written('again'));
      await persistence.flush();
      expect(await textOf(area(), 'log')).toContain('again');
    });

    test('the steps of an upgrade lead from the version that is stored; check looks at the result', async () => {
      const area = await open();
      const old = declare();
      const before = await begin(area(), [old.log]);
      before.runtime.dispatch(old.written('old'));
      await before.persistence.flush();
      void before.runtime.close();
      const check = {
        '~standard': {
          version: 1,
          vendor: 'test',
          validate: (value: unknown) =>
            (value as Log).note.length < 20
              ? { value: { ...(value as Log), note: (value as Log).note.trim() } }
              : { issues: [{ message: 'too long', path: ['note'] }] },
        },
      } as const;
      const steps = [
        (kept: Log) => ({ ...kept, note: `${kept.note} 2` }),
        (kept: Log) => {
          kept.note += ' 3 ';
        },
      ];
      const at3 = declare({ only: ['note'], version: 3, upgrade: steps, check });
      const next = await begin(area(), [at3.log]);
      expect([next.runtime.read(at3.log).note, next.codes()]).toEqual(['old 2 3', []]);
      await next.persistence.flush();
      void next.runtime.close();
      expect(await textOf(area(), 'log')).toContain('"version":3');
      // An older version of the application leaves it alone.
      const at2 = declare({ version: 2, upgrade: steps.slice(0, 1) });
      const older = await begin(area(), [at2.log]);
      older.runtime.dispatch(at2.written('of version 2'));
      await older.persistence.flush();
      void older.runtime.close();
      expect([older.codes(), await textOf(area(), 'log')]).toEqual([
        ['FLOE_STORED_TOO_NEW'],
        expect.stringContaining('old 2 3'),
      ]);
      // No way leads there; a step that fails; a check that does not pass.
      for (const [options, why] of [
        [{ version: 5, upgrade: steps.slice(0, 1) }, 'no upgrade leads from version 3 to version 5'],
        [
          {
            version: 4,
            upgrade: [
              () => {
                throw new Error('no such day');
              },
            ],
          },
          'the upgrade from version 3 to 4 failed: Error: no such day',
        ],
        [
          { version: 4, upgrade: [(kept: Log) => ({ ...kept, note: 'x'.repeat(20) })], check },
          'it does not pass its check: /note: too long',
        ],
      ] as [PersistOptions<Log>, string][]) {
        const text = (await textOf(area(), 'log'))!;
        const failing = declare(options);
        const session = await begin(area(), [failing.log]);
        expect([session.runtime.read(failing.log).note, session.codes()]).toEqual(['', ['FLOE_STORED_DAMAGED']]);
        const aside = (await session.persistence.list())
          .filter((item: StoredItem) => item.kind === 'set aside')
          .at(-1)!;
        expect([aside.text, aside.why]).toEqual([text, why]);
        void session.runtime.close();
        const place = area();
        // A server wants to know what it is written over.
        await place.read('log');
        await place.write('log', text);
      }
    });

    test('the storage leaves a text of a newer format untouched', async () => {
      const area = await open();
      const newer = storedText('log', {}, { format: 99 });
      await area().write('log', newer);
      const own = declare();
      const { runtime, persistence, codes } = await begin(area(), [own.log]);
      runtime.dispatch(own.written('mine'));
      expect(await persistence.flush()).toBe(false);
      void runtime.close();
      expect([await textOf(area(), 'log'), codes()]).toEqual([newer, ['FLOE_STORED_TOO_NEW']]);
    });

    test('rule 22: forget is not reset', async () => {
      const area = await open();
      const own = declare();
      const { runtime, persistence } = await begin(area(), [own.log]);
      runtime.dispatch(own.written('one'));
      expect(await persistence.forget(own.log)).toBe(true);
      await persistence.flush();
      expect([await textOf(area(), 'log'), runtime.read(own.log).note]).toEqual([undefined, 'one']);
      runtime.dispatch(own.written('two'));
      await persistence.flush();
      runtime.reset(own.log);
      await persistence.flush();
      expect(runtime.read(own.log).note).toBe('');
      expect(await textOf(area(), 'log')).toContain('two');
      await persistence.rehydrate();
      expect(runtime.read(own.log).note).toBe('two');
      expect(runtime.trace.steps.at(-1)).toMatchObject({ fact: 'rehydrated', cause: { by: 'storage' } });
    });

    test('a full storage is reported once, keeps the last good copy, and is tried again', async () => {
      const place = await open();
      let full = false;
      const area = (): StorageArea => {
        const inner = place();
        const fitting = <A extends readonly unknown[], T>(fn: (...args: A) => T) =>
          function (...args: A): T {
            if (full) throw new Error('no room');
            return fn(...args);
          };
        return {
          ...inner,
          write: fitting((key: string, text: string) => inner.write(key, text)),
          ...(inner.append && { append: fitting((key: string, text: string) => inner.append!(key, text)) }),
        };
      };
      const own = declare();
      const { runtime, persistence, codes } = await begin(area(), [own.log]);
      runtime.dispatch(own.written('one'));
      await persistence.flush();
      full = true;
      runtime.dispatch(own.written('two'));
      expect(await persistence.flush()).toBe(false);
      runtime.dispatch(own.written('three'));
      expect([codes(), await textOf(place(), 'log')]).toEqual([
        ['FLOE_STORAGE_FAILED'],
        expect.stringContaining('one'),
      ]);
      full = false;
      expect(await persistence.flush()).toBe(true);
      expect(await textOf(place(), 'log')).toContain('three');
    });

    test('the storage does not write over a text that it cannot read', async () => {
      const place = await open();
      const own = declare();
      const first = await begin(place(), [own.log]);
      first.runtime.dispatch(own.written('one'));
      await first.persistence.flush();
      void first.runtime.close();
      let broken = true;
      const inner = place();
      const area: StorageArea = {
        ...inner,
        read(key) {
          if (broken) throw new Error('a bad sector');
          return inner.read(key);
        },
      };
      const next = await begin(area, [own.log]);
      next.runtime.dispatch(own.written('two'));
      await next.persistence.flush();
      broken = false;
      expect([next.codes(), await textOf(place(), 'log')]).toEqual([
        ['FLOE_STORAGE_UNREADABLE'],
        expect.stringContaining('one'),
      ]);
      await next.persistence.rehydrate();
      next.runtime.dispatch(own.written('three'));
      await next.persistence.flush();
      expect(await textOf(place(), 'log')).toContain('three');
    });

    test('the storage joins the changes of another writer with those of this session, and reports each conflict', async () => {
      const place = await open();
      if (place().append) return;
      const own = declare({});
      const dated = own.log.action('dated', (draft, at: Date) => {
        draft.at = at;
      });
      const [one, two] = [await begin(place(), [own.log]), await begin(place(), [own.log])];
      one.runtime.dispatch(own.written('by one'));
      await one.persistence.flush();
      two.runtime.dispatch(dated(new Date(5)));
      await two.persistence.flush();
      await new Promise((done) => setTimeout(done, 20));
      await two.persistence.flush();
      expect(two.runtime.read(own.log)).toEqual({ note: 'by one', draft: 'by one', at: new Date(5) });
      expect(two.codes()).toEqual(['FLOE_STORED_ELSEWHERE']);
      // Both change the same: the later one is stored, the other one kept aside.
      one.runtime.dispatch(own.written('one again'));
      await one.persistence.flush();
      await new Promise((done) => setTimeout(done, 20));
      await one.persistence.flush();
      two.runtime.dispatch(own.written('two again'));
      await two.persistence.flush();
      await new Promise((done) => setTimeout(done, 20));
      await two.persistence.flush();
      const third = await begin(place(), [own.log]);
      expect(third.runtime.read(own.log)).toEqual({ note: 'two again', draft: 'two again', at: new Date(5) });
      const aside = (await third.persistence.list()).find(({ kind }) => kind === 'set aside')!;
      expect([aside.text!.includes('one again'), aside.why]).toEqual([true, expect.stringContaining('note, draft')]);
    });

    test('keys of any text are kept apart and listed', async () => {
      const area = (await open())();
      for (const key of ['a', 'a.b', '..a', 'é %', 'log.00c0ffee.1']) await area.write(key, `${key}\n`);
      expect([...(await area.keys())].sort()).toEqual(['..a', 'a', 'a.b', 'log.00c0ffee.1', 'é %']);
      await area.remove('a.b');
      await area.remove('never there');
      expect([await area.read('a.b'), await area.read('é %')]).toEqual([undefined, 'é %\n']);
    });
  });
}
