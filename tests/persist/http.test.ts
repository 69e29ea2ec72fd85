// The storage on a server, against the harbour office: with delay, failures, and another client that writes.
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
  await runtime.ready;
  how = 'fail=503';
  runtime.dispatch(written('one'));
  expect(await runtime.persistence.flush()).toBe(false);
  how = '';
  expect(await runtime.persistence.flush()).toBe(true);
  expect(codes).toEqual(['FLOE_STORAGE_FAILED']);
  expect((await runtime.persistence.list())[0].state).toEqual({ note: 'one', day: '' });
  await runtime.close();
});

test('a text is written only over the one that was seen', async () => {
  const area = desk();
  const [one, two] = [area(), area()];
  await one.write('log', 'first\n');
  expect(await two.read('log')).toBe('first\n');
  await one.write('log', 'second\n');
  await expect(two.write('log', 'third\n')).rejects.toThrow('another client');
  await expect(two.remove('log')).rejects.toThrow('another client');
  await two.read('log');
  await two.write('log', 'fourth\n');
  expect(await area().read('log')).toBe('fourth\n');
  await expect(area().write('log', 'not seen\n')).rejects.toThrow('another client');
});

test('a text that was removed is written as a new one, whatever the server says of the removal', async () => {
  const conditions: (string | undefined)[] = [];
  const area = httpArea({
    url: 'http://office.localhost/kept',
    fetch: (_input, { method, headers } = {}) => {
      const { 'If-Match': match, 'If-None-Match': none } = headers as Record<string, string | undefined>;
      conditions.push(match ?? none);
      return Promise.resolve(new Response(null, { status: 200, headers: { ETag: `"${method}"` } }));
    },
  });
  await area.write('log', 'first\n');
  await area.remove('log');
  await area.write('log', 'second\n');
  expect(conditions).toEqual(['*', '"PUT"', '*']);
});

test('a device forgets also what another one has stored meanwhile', async () => {
  const url = `${office.address}/office/kept/forgotten`;
  const { log, written } = declare();
  const open = () => createRuntime({ stores: [log], storage: httpStorage({ url, writeAfter: 0 }) });
  const [one, two] = [open(), open()];
  for (const [runtime, note] of [
    [one, 'of one'],
    [two, 'of two'],
  ] as const) {
    await runtime.ready;
    runtime.dispatch(written(note));
    await runtime.persistence.flush();
  }
  expect([await one.persistence.forget(), await one.persistence.list()]).toEqual([true, []]);
  await Promise.all([one.close(), two.close()]);
});

test('a response without a tag is unreadable: what is stored is neither set aside nor written over', async () => {
  const url = `${office.address}/office/kept/proxied`;
  const { log, written } = declare();
  const first = createRuntime({ stores: [log], storage: httpStorage({ url, writeAfter: 0 }) });
  await first.ready;
  first.dispatch(written('good'));
  expect(await first.persistence.flush()).toBe(true);
  const before = await first.persistence.texts();
  let signsIn = true;
  const codes: unknown[] = [];
  const page = (): Promise<Response> =>
    Promise.resolve(
      new Response('<!doctype html><title>Sign in</title>', { headers: { 'Content-Type': 'text/html' } }),
    );
  const second = createRuntime({
    stores: [log],
    storage: httpStorage({
      url,
      writeAfter: 0,
      fetch: (input, init) =>
        signsIn && init?.method === 'GET' && !(input as string).endsWith('/') ? page() : fetch(input as string, init),
    }),
    onProblem: ({ error }) => codes.push((error as { code?: string }).code),
  });
  await second.ready;
  second.dispatch(written('over it'));
  expect(await second.persistence.flush()).toBe(false);
  expect(codes).toEqual(['FLOE_STORAGE_UNREADABLE']);
  signsIn = false;
  expect(await first.persistence.texts()).toEqual(before);
  await Promise.all([first.close(), second.close()]);
});

test('a body that was cut short has nothing deleted on the server', async () => {
  const url = `${office.address}/office/kept/cut-short`;
  const { log, written } = declare();
  const first = createRuntime({ stores: [log], storage: httpStorage({ url, writeAfter: 0 }) });
  await first.ready;
  first.dispatch(written('good'));
  expect(await first.persistence.flush()).toBe(true);
  await first.close();
  let isCut = true;
  const asked: string[] = [];
  const second = createRuntime({
    stores: [log],
    storage: httpStorage({
      url,
      writeAfter: 0,
      fetch: async (input, init) => {
        asked.push(init?.method ?? 'GET');
        const response = await fetch(input as string, init);
        if (!isCut || init?.method !== 'GET' || (input as string).endsWith('/')) return response;
        const text = await response.text();
        const headers = { ETag: response.headers.get('ETag')! };
        return new Response(text.slice(0, text.length / 2), { headers });
      },
    }),
    onProblem: () => undefined,
  });
  await second.ready;
  await second.persistence.flush();
  expect(asked).not.toContain('DELETE');
  isCut = false;
  await second.close();
  const third = createRuntime({ stores: [log], storage: httpStorage({ url }) });
  await third.ready;
  expect(third.read(log).note).toBe('good');
  await third.close();
});

test('a body outlives the page only where the browser takes it along: bytes count, not characters, and all on their way', async () => {
  const asked: { size: number; keepalive: unknown }[] = [];
  let release = (): void => undefined;
  const released = new Promise<void>((resolve) => (release = resolve));
  const area = httpArea({
    url: 'http://office.example/kept',
    async fetch(_input, init) {
      asked.push({ size: Buffer.byteLength(init!.body as string), keepalive: init!.keepalive });
      await released;
      return new Response(null, { status: 204, headers: { ETag: '"1"' } });
    },
  });
  const writes = ['a'.repeat(29_000), 'é'.repeat(14_000), 'ö'.repeat(25_000), 'b'].map((text, i) =>
    area.write(`k${i}`, text),
  );
  release();
  await Promise.all(writes);
  const alive = asked.filter(({ keepalive }) => keepalive).reduce((sum, { size }) => sum + size, 0);
  expect(alive).toBeLessThan(65_536);
  expect(asked.map(({ keepalive }) => keepalive)).toEqual([true, true, false, true]);
});

test('httpStorage works on a host without AbortSignal.timeout', async () => {
  const { timeout } = AbortSignal;
  try {
    Object.assign(AbortSignal, { timeout: undefined });
    const area = desk()();
    await area.write('log', 'text\n');
    expect(await area.read('log')).toBe('text\n');
    const slow = httpArea({
      url: 'http://office.example/kept',
      timeout: 5,
      fetch: (_input, init) =>
        new Promise((_resolve, reject) =>
          init!.signal!.addEventListener('abort', () => reject(init!.signal!.reason as Error)),
        ),
    });
    await expect(slow.read('log')).rejects.toThrow('5 ms');
  } finally {
    Object.assign(AbortSignal, { timeout });
  }
});
