// A storage that answers later: what is done until then is kept on top of what comes.
import { describe, expect, test } from '@jest/globals';
import type { StandardSchemaV1 } from '@standard-schema/spec';
import { at, createRuntime, store, type Problem } from 'floe';
import { memoryArea, storageIn, type StorageArea } from 'floe/persist';
import { testRuntime } from 'floe/testing';
import { recording } from 'floe/trace';

const declare = () => {
  const visits = store('visits', { list: [] as string[], note: '' }).persisted();
  const planned = visits.action('planned', (draft, id: string) => {
    draft.list.push(id);
  });
  const cancelled = visits.action('cancelled', (draft, id: string) => {
    const index = draft.list.indexOf(id);
    if (index < 0) throw new Error(`no visit ${id}`);
    draft.list.splice(index, 1);
  });
  return { visits, planned, cancelled };
};

/** Keeps a first session, and opens a second one whose storage answers when it is told to. */
function secondSession(before: readonly string[]) {
  const texts = new Map<string, string>();
  const own = declare();
  if (before.length > 0) {
    const first = createRuntime({
      stores: [own.visits],
      storage: storageIn(() => memoryArea(texts), { writeAfter: 0 }),
    });
    for (const id of before) first.dispatch(own.planned(id));
    void first.close();
  }
  let answer = (): void => undefined;
  const asked = new Promise<void>((resolve) => (answer = resolve));
  const inner = memoryArea(texts);
  const area: StorageArea = {
    ...inner,
    read: async (key) => {
      await asked;
      return inner.read(key);
    },
    write: async (key, text) => {
      await asked;
      inner.write(key, text);
    },
  };
  const problems: Problem[] = [];
  const runtime = createRuntime({
    stores: [own.visits],
    trace: recording(),
    storage: storageIn(() => area, { writeAfter: 0 }),
    onProblem: (problem) => problems.push(problem),
  });
  const arrive = async (): Promise<void> => {
    answer();
    await runtime.ready;
    await runtime.persistence.flush();
  };
  const codes = (): unknown[] => problems.map(({ error }) => (error as { code?: string }).code);
  return { ...own, runtime, arrive, codes, texts };
}

describe('rule 21: while the storage is being read', () => {
  test('an action before the stored state arrives is applied at once, and again on top of it', async () => {
    const { runtime, visits, planned, arrive, texts } = secondSession(['v1', 'v2']);
    const seen: unknown[] = [];
    runtime.watch(at(visits, '/list'), (list) => seen.push(list));
    expect(runtime.persistence.status).toBe('reading');
    runtime.dispatch(planned('v3'));
    expect(runtime.read(visits).list).toEqual(['v3']);
    await arrive();
    expect(seen).toEqual([['v3'], ['v1', 'v2', 'v3']]);
    expect(runtime.persistence.status).toBe('ready');
    expect(runtime.trace.steps.map(({ fact, action, cause }) => [fact ?? action?.type, cause.by])).toEqual([
      ['initial', 'runtime'],
      ['visits.planned', 'code'],
      ['rehydrated', 'storage'],
    ]);
    expect([...texts.values()].join('')).toContain('v3');
    // The past is what was seen then.
    runtime.trace.seek(1);
    expect(runtime.read(visits).list).toEqual(['v3']);
  });
});

test('the persistence gathers changes and writes them together', async () => {
  const texts = new Map<string, string>();
  let writes = 0;
  const inner = memoryArea(texts);
  const area: StorageArea = {
    ...inner,
    write(key, text) {
      writes++;
      inner.write(key, text);
    },
  };
  const { visits, planned } = declare();
  const runtime = testRuntime({ stores: [visits], storage: storageIn(() => area, { writeAfter: 200 }) });
  for (const id of ['v1', 'v2', 'v3']) runtime.dispatch(planned(id));
  await runtime.clock.advance(199);
  expect(writes).toBe(0);
  await runtime.clock.advance(1);
  expect([writes, texts.get('visits')?.includes('v3')]).toEqual([1, true]);
  runtime.dispatch(planned('v4'));
  void runtime.close();
  expect(texts.get('visits')).toContain('v4');
});

test('the persistence sets another writer’s text aside before it writes', async () => {
  const texts = new Map<string, string>();
  const { visits, planned } = declare();
  let full = false;
  const open = () => {
    const inner = memoryArea(texts);
    const area: StorageArea = {
      ...inner,
      write(key, text) {
        if (full && key.includes('.aside.')) throw new Error('no room');
        inner.write(key, text);
      },
    };
    const codes: unknown[] = [];
    const runtime = createRuntime({
      stores: [visits],
      storage: storageIn(() => area, { writeAfter: Infinity }),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code),
    });
    return { runtime, codes };
  };
  const [one, two] = [open(), open()];
  one.runtime.dispatch(planned('of one'));
  await one.runtime.persistence.flush();
  two.runtime.dispatch(planned('of two'));
  full = true;
  expect([await two.runtime.persistence.flush(), await two.runtime.persistence.flush()]).toEqual([false, false]);
  expect([texts.get('visits')!.includes('of one'), two.codes]).toEqual([true, ['FLOE_STORAGE_FAILED']]);
  full = false;
  await two.runtime.persistence.flush();
  await two.runtime.persistence.flush();
  expect(texts.get('visits')).toContain('of two');
  const aside = (await two.runtime.persistence.list()).find(({ kind }) => kind === 'set aside')!;
  expect([aside.text!.includes('of one'), two.codes]).toEqual([true, ['FLOE_STORAGE_FAILED', 'FLOE_STORED_ELSEWHERE']]);
});

test('a storage that can do nothing at all is one problem a store, and no rejection is left unhandled', async () => {
  const uncaught: unknown[] = [];
  const note = (error: unknown): void => void uncaught.push(error);
  process.on('unhandledRejection', note);
  try {
    const fails = (): Promise<never> => Promise.reject(new Error('no such device'));
    const area: StorageArea = { read: fails, write: fails, remove: fails, keys: fails };
    const { visits } = declare();
    const codes: unknown[] = [];
    const runtime = createRuntime({
      stores: [visits],
      storage: storageIn(() => area),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code),
    });
    await runtime.ready;
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect([codes, uncaught]).toEqual([['FLOE_STORAGE_UNREADABLE'], []]);
    // Else it tries again for ever, and the process of the tests does not end.
    await runtime.close();
  } finally {
    process.off('unhandledRejection', note);
  }
});

test('a check that edits its argument does not change what is read', async () => {
  const texts = new Map<string, string>();
  const open = () => {
    const check: StandardSchemaV1<{ rows: string[] }> = {
      '~standard': {
        version: 1,
        vendor: 'floe',
        validate: (value) => {
          const kept = structuredClone(value) as { rows: string[] };
          (value as { rows: string[] }).rows.push('edited');
          return { value: kept };
        },
      },
    };
    const rows = store('rows', { rows: [] as string[] }).persisted({ check });
    const added = rows.action('added', (draft, row: string) => {
      draft.rows.push(row);
    });
    const problems: unknown[] = [];
    const runtime = createRuntime({
      stores: [rows],
      storage: storageIn(() => memoryArea(texts), { writeAfter: 0 }),
      onProblem: ({ error }) => problems.push(error),
    });
    return { runtime, rows, added, problems };
  };
  for (const [i, row] of ['Ern', 'Tern', 'Skua'].entries()) {
    const { runtime, rows, added, problems } = open();
    expect(runtime.read(rows).rows).toHaveLength(i);
    runtime.dispatch(added(row));
    await runtime.close();
    expect(problems).toEqual([]);
  }
});
