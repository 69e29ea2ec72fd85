// `floe inspect`: what it serves, and to whom.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { networkInterfaces, tmpdir } from 'node:os';
import { join } from 'node:path';
import type { LinkResponse } from '../../src/inspector/ends/index.js';
import { demo, floe } from '../support/command.js';
import { eventually } from '../support/eventually.js';
import { inspecting, type Served } from '../support/inspect.js';
import { openPort, settle } from '../inspector/port.js';

let folder: string;
let file: string;
let served: Served;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'inspect-'));
  file = join(folder, 'shift.jsonl');
  const { runtime, click, assignBerth, answers } = openPort();
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')).catch(() => undefined));
  answers[0].refuse('N2 is dredged until noon');
  await settle();
  writeFileSync(file, runtime.trace.export());
  served = await inspecting([file]);
});
afterAll(async () => {
  expect(await served.close()).toBe(0);
  rmSync(folder, { recursive: true });
});

interface Answer {
  readonly status: number;
  readonly headers: Record<string, unknown>;
  readonly text: string;
}
/** Headers as a browser would not let a page set them. */
const ask = (method: string, path: string, headers: Record<string, string> = {}, body = ''): Promise<Answer> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(served.origin);
    const sent = request({ hostname, port, method, path, headers }, (response) => {
      let text = '';
      response.on('data', (data: Buffer) => (text += data.toString()));
      response.on('end', () => resolve({ status: response.statusCode!, headers: response.headers, text }));
    });
    sent.on('error', reject);
    sent.end(body);
  });
const call = (method: string, params: object, headers: Record<string, string> = {}): Promise<Answer> =>
  ask(
    'POST',
    '/sessions/1',
    { 'Content-Type': 'application/json', Authorization: `Bearer ${served.token}`, ...headers },
    JSON.stringify({ jsonrpc: '2.0', id: 7, method, params }),
  );

describe('to its own page', () => {
  test('the server serves the page under a content security policy', async () => {
    const { status, headers, text } = await ask('GET', '/');
    expect(status).toBe(200);
    expect(text).toContain('inspector.js');
    expect(text).not.toContain(served.token);
    expect(headers['content-security-policy']).toContain("default-src 'none'; script-src 'self'");
    expect(headers['referrer-policy']).toBe('no-referrer');
    expect((await ask('GET', '/inspector.js')).status).toBe(200);
    expect((await ask('GET', '/../../package.json')).status).toBe(404);
  });

  test('the server responds to requests of the link protocol', async () => {
    const { status, text } = await call('moment', {});
    const response = JSON.parse(text) as LinkResponse & { result: { sentence: string } };
    expect([status, response.id]).toEqual([200, 7]);
    expect(response.result.sentence).toMatch(/^The click on “Assign” gave Corran Bell berth N2; the office refused it/);
    const { result } = JSON.parse((await call('hello', { version: 1 })).text) as {
      result: { missing: object; can: string[] };
    };
    expect(result.can).toEqual([]);
    expect(result.missing).toMatchObject({ exclude: expect.stringContaining('--model') });
  });

  test('the server refuses a body that is no request', async () => {
    const headers = { Authorization: `Bearer ${served.token}`, 'Content-Type': 'application/json' };
    expect((await ask('POST', '/sessions/1', headers, 'moment')).status).toBe(400);
    expect((await ask('POST', '/sessions/1', headers, '[]')).status).toBe(400);
    expect((await ask('POST', '/sessions/1', headers, 'null')).status).toBe(400);
    expect((await ask('POST', '/sessions/9', headers, '{"id":1,"method":"hello"}')).status).toBe(404);
  });
});

describe('to all others', () => {
  test('the server responds to no request without the token', async () => {
    for (const authorization of ['', 'Bearer', `Bearer ${served.token}x`, `Basic ${served.token}`])
      expect((await call('moment', {}, { Authorization: authorization })).status).toBe(401);
    expect((await ask('GET', '/sessions')).status).toBe(401);
  });

  test('a foreign host and a foreign origin are refused, also with the token', async () => {
    const { port } = new URL(served.origin);
    const foreign: Record<string, string>[] = [
      { Host: `harbour.example:${port}` },
      { Host: `127.0.0.1:${Number(port) + 1}` },
      { Origin: 'https://elsewhere.example' },
      { Origin: 'null' },
      { Origin: `http://127.0.0.1:${Number(port) + 1}` },
    ];
    for (const headers of foreign) expect((await call('moment', {}, headers)).status).toBe(403);
    expect((await call('moment', {}, { Origin: served.origin })).status).toBe(200);
  });
});

describe('to applications that link themselves', () => {
  const headers = (): Record<string, string> => ({
    Authorization: `Bearer ${served.token}`,
    'Content-Type': 'application/json',
    // A page of its own, of another origin.
    Origin: 'http://localhost:5173',
  });
  /** Links an application that responds to each request with its method, and goes when it is asked to leave. */
  const link = (name: string): Promise<{ readonly id: string; end(): void }> =>
    new Promise((resolve, reject) => {
      const { hostname, port } = new URL(served.origin);
      const sent = request(
        { hostname, port, method: 'POST', path: '/applications', headers: headers() },
        (response) => {
          let id = '';
          response.on('data', (data: Buffer) => {
            for (const line of data.toString().split('\n').filter(Boolean)) {
              const message = JSON.parse(line) as { method: string; id?: number; params: { id: string } };
              if (message.method === 'linked') resolve({ id: (id = message.params.id), end: () => sent.destroy() });
              if (message.method === 'leave') sent.destroy();
              if (message.id === undefined || message.method === 'leave') continue;
              const answer = JSON.stringify([{ jsonrpc: '2.0', id: message.id, result: { asked: message.method } }]);
              void ask('POST', `/applications/${id}`, headers(), answer);
            }
          });
          response.on('error', () => undefined);
        },
      );
      sent.on('error', reject);
      sent.end(JSON.stringify({ name }));
    });
  const askOf = async (id: string, method: string): Promise<unknown> => {
    const sent = { ...headers(), Origin: served.origin };
    const { text } = await ask('POST', `/sessions/${id}`, sent, JSON.stringify({ jsonrpc: '2.0', id: 3, method }));
    return JSON.parse(text);
  };

  test('the server carries requests and responses, tells two of one name apart, and says which have gone', async () => {
    const [first, second] = [await link('Office'), await link('Office')];
    expect(await Promise.all([askOf(first.id, 'hello'), askOf(second.id, 'status')])).toEqual([
      { jsonrpc: '2.0', id: 3, result: { asked: 'hello' } },
      { jsonrpc: '2.0', id: 3, result: { asked: 'status' } },
    ]);
    const names = await sessionNames();
    expect(names).toEqual(['shift.jsonl', 'Office', 'Office (2)']);
    // It goes while a page waits for its response.
    expect(await askOf(second.id, 'leave')).toMatchObject({ id: 3, error: { message: '“Office (2)” has gone.' } });
    first.end();
    expect(await eventually(sessionNames, ['shift.jsonl'])).toEqual(['shift.jsonl']);
    expect((await ask('POST', `/applications/${first.id}`, headers(), '[]')).status).toBe(404);
  });

  test('the server refuses an application without the token, and what is no message', async () => {
    const bare = { ...headers(), Authorization: '' };
    expect((await ask('POST', '/applications', bare, '{"name":"Office"}')).status).toBe(401);
    for (const body of ['', 'null', '{}', '{"name":""}', JSON.stringify({ name: 'O'.repeat(300) })])
      expect((await ask('POST', '/applications', headers(), body)).status).toBe(400);
    const { id, end } = await link('Office');
    for (const body of ['', '{}', '[1]', '[null]'])
      expect((await ask('POST', `/applications/${id}`, headers(), body)).status).toBe(400);
    end();
    // Its page may ask whether it may, and learns nothing else.
    const asks = { Origin: 'http://localhost:5173', 'Access-Control-Request-Method': 'POST' };
    const { status, headers: given, text } = await ask('OPTIONS', '/applications', asks);
    expect([status, text]).toEqual([204, '']);
    expect(given['access-control-allow-origin']).toBe('http://localhost:5173');
    expect((await ask('OPTIONS', '/sessions', asks)).status).toBe(403);
  });
});

/** The first line of the news says which sessions there are. */
const sessionNames = (): Promise<string[]> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(served.origin);
    const headers = { Authorization: `Bearer ${served.token}` };
    const sent = request({ hostname, port, path: '/sessions', headers }, (response) => {
      response.on('error', () => undefined);
      response.once('data', (data: Buffer) => {
        const [line] = data.toString().split('\n');
        resolve((JSON.parse(line) as { sessions: { name: string }[] }).sessions.map(({ name }) => name));
        sent.destroy();
      });
    });
    sent.on('error', reject);
    sent.end();
  });

test('a model adds no step to a recording that ended while a task ran', async () => {
  const shift = join(folder, 'harbour-shift.jsonl');
  expect((await demo(['--headless', '--save', shift])).code).toBe(0);
  const lines = readFileSync(shift, 'utf8').trimEnd().split('\n');
  const open = await inspecting([shift, '--model', 'examples/harbour/src/model/index.ts']);
  const { text } = await fetch(`${open.origin}/sessions/1`, {
    method: 'POST',
    headers: { Authorization: `Bearer ${open.token}` },
    body: JSON.stringify({ jsonrpc: '2.0', id: 1, method: 'tasks', params: { count: 50 } }),
  }).then(async (response) => ({ text: await response.text() }));
  const { runs } = (JSON.parse(text) as { result: { runs: { phase: string; last: number | null }[] } }).result;
  const steps = lines.filter((line) => line.startsWith('{"seq"')).length;
  expect(runs.filter(({ last }) => last !== null && last >= steps)).toEqual([]);
  expect(runs.map(({ phase }) => phase)).toContain('running');
  expect(await open.close()).toBe(0);
});

test('only --host opens it to the network, where its addresses are the names that it answers to; --token keeps the key', async () => {
  const open = await inspecting([file, '--host', '0.0.0.0', '--token', 'a-key-for-the-phone']);
  expect(open.token).toBe('a-key-for-the-phone');
  const kept = await inspecting([], '', { INSPECTOR_TOKEN: 'a-key-that-is-kept' });
  expect(kept.token).toBe('a-key-that-is-kept');
  await kept.close();
  const statusBy = (host: string): Promise<number> =>
    new Promise((resolve, reject) => {
      const { port } = new URL(open.origin);
      request({ hostname: '127.0.0.1', port, headers: { Host: `${host}:${port}` } }, (response) => {
        response.resume();
        resolve(response.statusCode!);
      })
        .on('error', reject)
        .end();
    });
  const outer = Object.values(networkInterfaces()).flatMap((all) => (all ?? []).filter((one) => !one.internal));
  for (const { address, family } of outer) if (family === 'IPv4') expect(await statusBy(address)).toBe(200);
  expect(await statusBy('harbour.example')).toBe(403);
  expect(await open.close()).toBe(0);
});

test('a file that is not there, a model that cannot be used and a wrong port end the command with a code', async () => {
  for (const [args, code] of [
    [[join(folder, 'nothing.jsonl')], 'FLOE_FILE_UNREADABLE'],
    [[file, '--model', join(folder, 'nothing.mjs')], 'FLOE_MODEL_UNUSABLE'],
    [[file, '--port', 'harbour'], 'FLOE_BAD_OPTION'],
    [[file, '--token', 'short'], 'FLOE_BAD_OPTION'],
    [[file, '--host', '203.0.113.7'], 'FLOE_HOST_UNUSABLE'],
  ] as const) {
    const ended = await floe(['inspect', ...args]);
    expect([ended.code, ended.out]).toEqual([2, '']);
    expect(ended.err).toContain(code);
  }
});
