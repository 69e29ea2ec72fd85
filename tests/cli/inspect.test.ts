// `floe inspect`: what it serves, and to whom.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { LinkResponse } from '../../src/inspector/ends/index.js';
import { floe } from '../support/command.js';
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
    '/messages',
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
    expect((await ask('POST', '/messages', headers, 'moment')).status).toBe(400);
    expect((await ask('POST', '/messages', headers, '[]')).status).toBe(400);
    expect((await ask('POST', '/messages', headers, 'null')).status).toBe(400);
  });
});

describe('to all others', () => {
  test('the server responds to no request without the token', async () => {
    for (const authorization of ['', 'Bearer', `Bearer ${served.token}x`, `Basic ${served.token}`])
      expect((await call('moment', {}, { Authorization: authorization })).status).toBe(401);
    expect((await ask('GET', '/messages')).status).toBe(401);
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

test('a file that is not there, a model that cannot be used and a wrong port end the command with a code', async () => {
  for (const [args, code] of [
    [[join(folder, 'nothing.jsonl')], 'FLOE_FILE_UNREADABLE'],
    [[file, '--model', join(folder, 'nothing.mjs')], 'FLOE_MODEL_UNUSABLE'],
    [[file, '--port', 'harbour'], 'FLOE_BAD_OPTION'],
  ] as const) {
    const ended = await floe(['inspect', ...args]);
    expect([ended.code, ended.out]).toEqual([2, '']);
    expect(ended.err).toContain(code);
  }
});
