// What every storage must do, whatever it is made of.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, type Problem } from 'floe';
import type { StorageArea } from 'floe/persist';
import { storageIn } from 'floe/persist';
import { recording } from 'floe/trace';

/** Runs the shared tests. `open` gives a new, empty place, and each call of what it returns opens that place once more. */
export function storageContract(name: string, open: () => () => StorageArea): void {
  const model = () => {
    const log = store('log', { note: '', draft: '', at: new Date(0) }).persisted({ only: ['note', 'at'] });
    const written = log.action('written', (draft, note: string) => {
      draft.note = note;
      draft.draft = note;
    });
    return { log, written };
  };
  const start = (area: () => StorageArea, { log }: ReturnType<typeof model>) => {
    const problems: Problem[] = [];
    const runtime = createRuntime({
      stores: [log],
      trace: recording(),
      storage: storageIn(() => area()),
      clock: () => 7_000,
      onProblem: (problem) => problems.push(problem),
    });
    return { runtime, problems };
  };

  describe(`${name} as a storage`, () => {
    test('keeps the fields that it should, and they are there before the first read', () => {
      const area = open();
      const first = model();
      const { runtime } = start(area, first);
      runtime.dispatch(first.written('shore power is out'));
      runtime.close();
      const second = model();
      const { runtime: next, problems } = start(area, second);
      expect(next.read(second.log)).toEqual({ note: 'shore power is out', draft: '', at: new Date(0) });
      expect(next.trace.steps.map((step) => [step.fact, step.cause.by])).toEqual([
        ['initial', 'runtime'],
        ['rehydrated', 'storage'],
      ]);
      expect(problems).toEqual([]);
    });

    test('new fields keep their initial values, fields no longer kept stay behind', () => {
      const area = open();
      area().write('log', '{"floe":"stored","version":1,"state":{"note":"kept","draft":"not kept any more"}}');
      const { log } = model();
      expect(start(area, { log } as never).runtime.read(log)).toEqual({ note: 'kept', draft: '', at: new Date(0) });
    });

    test.each([
      ['text that is not JSON', '{"floe":'],
      ['text of another program', '{"note":"x"}'],
      ['another shape', '{"floe":"stored","version":1,"state":[1]}'],
      ['an unknown kind of value', '{"floe":"stored","version":1,"state":{"note":{"floe:type":"comet"}}}'],
    ])('sets aside %s, reports it, and goes on', (_what, text) => {
      const area = open();
      area().write('log', text);
      const own = model();
      const { runtime, problems } = start(area, own);
      expect(runtime.read(own.log).note).toBe('');
      expect(problems).toMatchObject([{ error: { code: 'FLOE_STORED_DAMAGED' } }]);
      expect(area().read('log.damaged.7000')).toBe(text);
      runtime.dispatch(own.written('again'));
      expect(area().read('log')).toContain('again');
    });

    test('leaves what a newer version stored untouched', () => {
      const area = open();
      const newer = '{"floe":"stored","version":99,"state":{}}';
      area().write('log', newer);
      const own = model();
      const { runtime, problems } = start(area, own);
      runtime.dispatch(own.written('mine'));
      runtime.close();
      expect(area().read('log')).toBe(newer);
      expect(problems).toMatchObject([{ error: { code: 'FLOE_STORED_TOO_NEW' } }]);
    });

    test('a look at the past stores nothing; an action there does', () => {
      const area = open();
      const own = model();
      const { runtime } = start(area, own);
      runtime.dispatch(own.written('one'));
      runtime.dispatch(own.written('two'));
      const stored = area().read('log');
      runtime.trace.back();
      expect(area().read('log')).toBe(stored);
      // Even one that changes nothing begins a branch: what is shown is the present from then on.
      expect(runtime.dispatch(own.written('one'))).toBe('unchanged');
      expect(area().read('log')).toContain('one');
      runtime.trace.back();
      runtime.dispatch(own.written('three'));
      expect(area().read('log')).toContain('three');
    });

    test('forget is not reset', () => {
      const area = open();
      const own = model();
      const { runtime } = start(area, own);
      runtime.dispatch(own.written('one'));
      runtime.persistence.forget(own.log);
      expect([area().read('log'), runtime.read(own.log).note]).toEqual([undefined, 'one']);
      runtime.dispatch(own.written('two'));
      runtime.reset(own.log);
      expect(runtime.read(own.log).note).toBe('');
      expect(area().read('log')).toContain('two');
    });

    test('a full storage is reported, keeps the last good copy, and is tried again', () => {
      const place = open();
      let full = false;
      const area = (): StorageArea => {
        const inner = place();
        return {
          ...inner,
          write(key, text) {
            if (full) throw new Error('no room');
            inner.write(key, text);
          },
        };
      };
      const own = model();
      const { runtime, problems } = start(area, own);
      runtime.dispatch(own.written('one'));
      full = true;
      runtime.dispatch(own.written('two'));
      expect(problems).toMatchObject([{ error: { code: 'FLOE_STORAGE_FAILED' } }]);
      expect(place().read('log')).toContain('one');
      full = false;
      runtime.persistence.flush();
      expect(place().read('log')).toContain('two');
    });

    test('keys of any text are kept apart and listed', () => {
      const area = open()();
      for (const key of ['a', 'a/b', '..', 'é %']) area.write(key, key);
      expect([...area.keys()].sort()).toEqual(['..', 'a', 'a/b', 'é %']);
      area.remove('a/b');
      area.remove('never there');
      expect([area.read('a/b'), area.read('é %')]).toEqual([undefined, 'é %']);
    });
  });
}
