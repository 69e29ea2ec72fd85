import { describe, expect, test } from '@jest/globals';
import { action, createRuntime, need, store, task } from 'floe';
import { testRuntime } from 'floe/testing';

interface Office {
  visits(day: string): Promise<string[]>;
}
const office = need<Office>('office');
const visits = store('visits', { list: [] as string[] });
const arrived = visits.action('arrived', (draft, list: string[]) => {
  draft.list = list;
});
const load = visits.task(
  'load',
  async ({ dispatch, use, sleep }, day: string) => {
    const list = await use(office).visits(day);
    await sleep(100);
    dispatch(arrived(list));
    return list.length;
  },
  { overlap: 'replace' },
);

test('thin', async () => {
  const runtime = testRuntime({ stores: [visits], needs: [office.by({ visits: (day) => Promise.resolve([day]) })] });
  const run = runtime.run(load('a'));
  const run2 = runtime.run(load('b'));
  expect(runtime.read(load.status).phase).toBe('running');
  run.catch(() => {});
  await runtime.clock.advance(100);
  expect(await run2).toBe(1);
  console.log(runtime.trace.steps.map((s) => JSON.stringify(s)).join('\n'));
  expect(runtime.read(load.status)).toMatchObject({ phase: 'done', runs: 2 });
  await expect(run).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
});
