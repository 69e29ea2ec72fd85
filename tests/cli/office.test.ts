// The demo's office, as a stranger on the same machine or network would ask it.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { request } from 'node:http';
import { startOffice, type RunningOffice } from '../../examples/harbour/office/server.js';

let office: RunningOffice;
beforeAll(async () => {
  office = await startOffice({ port: 0, thinking: 0 });
});
afterAll(() => office.close());

interface Answer {
  readonly status: number;
  readonly text: string;
}
/** Headers as a browser would not let a page set them. */
const ask = (method: string, path: string, headers: Record<string, string> = {}, body = ''): Promise<Answer> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(office.address);
    const sent = request({ hostname, port, method, path: `/office${path}`, headers }, (response) => {
      let text = '';
      response.on('data', (data: Buffer) => (text += data.toString()));
      response.on('end', () => resolve({ status: response.statusCode!, text }));
    });
    sent.on('error', reject);
    sent.end(body);
  });
const json = { 'Content-Type': 'application/json' };
const plan = { hull: '', place: 'N2', arrives: '2031-03-02T22:30:00.000Z', departs: '2031-03-02T23:45:00.000Z' };
const visits = async (): Promise<number> =>
  (JSON.parse((await ask('GET', '/days/2031-03-02/visits')).text) as unknown[]).length;

test('a foreign host, a foreign origin and forms of other sites are refused, and nothing happens', async () => {
  const { vessels } = JSON.parse((await ask('GET', '/port')).text) as { vessels: { hull: string }[] };
  const body = JSON.stringify({ ...plan, hull: vessels[0].hull });
  const before = await visits();
  const { port } = new URL(office.address);
  for (const [headers, status] of [
    [{ ...json, Host: `office.example:${port}` }, 403],
    [{ ...json, Origin: 'https://elsewhere.example' }, 403],
    [{ ...json, Origin: 'null' }, 403],
    [{ 'Content-Type': 'text/plain' }, 415],
    [{ 'Content-Type': 'application/x-www-form-urlencoded' }, 415],
    [{}, 415],
  ] as const)
    expect((await ask('POST', '/visits', headers, body)).status).toBe(status);
  expect((await ask('GET', '/port', { Host: 'office.example' })).status).toBe(403);
  expect(await visits()).toBe(before);
  expect(
    (await ask('POST', '/visits', { ...json, Host: `localhost:${port}`, Origin: office.address }, body)).status,
  ).toBe(201);
  expect(await visits()).toBe(before + 1);
});

test.each([
  'null',
  '7',
  '[]',
  '"text"',
  '{}',
  '{',
  '{"hull":1}',
  '{"name":{}}',
  '{"place":null}',
  '{"name":"  "}',
  '{"hull":"x","place":"y","arrives":"never","departs":"z"}',
])('the body %s is refused with its reason', async (body) => {
  const { vessels } = JSON.parse((await ask('GET', '/port')).text) as { vessels: { hull: string }[] };
  const [{ id }] = JSON.parse((await ask('GET', '/days/2031-03-02/visits')).text) as { id: string }[];
  for (const path of ['/visits', `/visits/${id}/place`, `/vessels/${vessels[0].hull}/name`]) {
    const { status, text } = await ask('POST', path, json, body);
    expect([path, status >= 400 && status < 500]).toEqual([path, true]);
    expect(JSON.parse(text)).toEqual({ problem: expect.any(String) as unknown });
    expect(text).not.toMatch(/at .*:\d+/);
  }
});

test('a body of megabytes is refused, also as a text to keep', async () => {
  const large = 'x'.repeat(17 * 1024 * 1024);
  for (const [method, path] of [
    ['POST', '/visits'],
    ['PUT', '/kept/desk/log'],
  ])
    expect((await ask(method, path, json, large).catch(() => ({ status: 413 }))).status).toBe(413);
  expect((await ask('GET', '/kept/desk/log')).status).toBe(404);
});
