// The storage on a server, against the harbour office: with delay, failures, and somebody else who writes.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createRuntime, store } from 'floe';
import { httpArea, httpStorage } from 'floe/persist';
import { startOffice, type RunningOffice } from '../../examples/harbour/office/server.js';
import { storageContract } from './contract.js';

let office: RunningOffice;
beforeAll(async () => {
  office = await startOffice({ port: 0 });
});
afterAll(() => office.close());

let desks = 0;
/** `how` is handed to the office with each request: `delay=20`. */
const desk = (how = '') => {
  const url = `${office.address}/office/kept/desk-${++desks}/`;
  const asking: typeof fetch = (input, init) => fetch(`${input as string}?${how}`, init);
  return () => httpArea({ url, fetch: asking });
};

storageContract('the office', () => desk());
storageContract('the office, slow', () => desk('delay=3'));

const declare = () => {
  const log = store('log', { note: '', day: '' }).persisted();
  const written = log.action('written', (draft, note: string) => {
    draft.note = note;
  });
  return { log, written };
};

test('a failure is reported and what could not be stored is stored later', async () => {
  let how = '';
  const codes: unknown[] = [];
  const { log, written } = declare();
  const runtime = createRuntime({
    stores: [log],
    storage: httpStorage({
      url: `${office.address}/office/kept/failing`,
      writeAfter: 0,
      fetch: (input, init) => fetch(`${input as string}?${how}`, init),
    }),
    onProblem: ({ error }) => codes.push((error as { code?: string }).code),
  });
  await runtime.persistence.ready;
  how = 'fail=503';
  runtime.dispatch(written('one'));
  expect(await runtime.persistence.flush()).toBe(false);
  how = '';
  expect(await runtime.persistence.flush()).toBe(true);
  expect(codes).toEqual(['FLOE_STORAGE_FAILED']);
  expect((await runtime.persistence.list())[0].state).toEqual({ note: 'one', day: '' });
});

test('a text is written only over the one that was seen', async () => {
  const area = desk();
  const [one, two] = [area(), area()];
  await one.write('log', 'first\n');
  expect(await two.read('log')).toBe('first\n');
  await one.write('log', 'second\n');
  await expect(two.write('log', 'third\n')).rejects.toThrow('somebody else');
  await expect(two.remove('log')).rejects.toThrow('somebody else');
  await two.read('log');
  await two.write('log', 'fourth\n');
  expect(await area().read('log')).toBe('fourth\n');
  await expect(area().write('log', 'not seen\n')).rejects.toThrow('somebody else');
});
