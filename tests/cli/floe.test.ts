import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRuntime } from 'floe';
import { recording } from 'floe/trace';
import { stores } from '../../examples/harbour/src/model/index.js';
import { demo, demoProgram, floe, type Ended } from '../support/command.js';

const folder = mkdtempSync(join(tmpdir(), 'floe-cli-'));
const file = join(folder, 'shift.jsonl');
afterAll(() => rmSync(folder, { recursive: true }));

describe('the demo without a page, then floe steps', () => {
  let shift: Ended;
  beforeAll(async () => {
    shift = await demo(['--headless', '--save', file]);
  });

  test('plays a shift, tells it, and saves its trace', () => {
    expect(shift).toMatchObject({ code: 0 });
    expect(shift.out).toMatch(/The day's list arrives: \d+ visits/);
    expect(shift.out).toContain('46 steps were recorded');
    expect(shift.err).toContain(`floe steps ${file}`);
  });

  test('the steps are listed for people and for programs', async () => {
    const people = await floe(['steps', file]);
    const widest = Math.max(...people.out.split('\n').map((line) => line.length));
    expect([widest < 120, people.out]).toEqual([true, expect.stringContaining('and 4 more')]);
    expect(people.code).toBe(0);
    const lines = people.out.trimEnd().split('\n');
    expect(lines[0]).toMatch(/step +time \(UTC\) +what happened +because of +stores touched +changes +took/);
    expect(lines).toHaveLength(47);
    expect(people.out).toMatch(/load the visits of 2031-… #3 begins +run #1 +visits\.loadDay\.status/);
    expect(people.out).toMatch(/load the visits of 2031.* #10 begins +step 34/);
    expect(people.out).toMatch(/45 +\d\d:\d\d:\d\d\.\d{3} +ended the shift +visits, log, notices +\d +[\d.]+ ms/);
    const programs = await floe(['steps', '--json', '-'], readFileSync(file, 'utf8'));
    const steps = programs.out
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as { name: string; changes: number; cause: object });
    expect(steps[4]).toMatchObject({ name: 'port.ingest', cause: { by: 'task', run: 2 } });
    expect(steps).toHaveLength(46);
    expect(steps.at(-1)).toMatchObject({
      name: 'shiftEnded',
      outcome: 'applied',
      stores: ['visits', 'log', 'notices'],
    });
  });

  test('the saved trace, imported into a runtime, ends in the state that the shift ended in', () => {
    const text = readFileSync(file, 'utf8');
    const runtime = createRuntime({ stores, trace: recording() });
    expect(runtime.trace.import(text)).toEqual({ steps: 46 });
    // The same actions, dispatched again, must come to the same state.
    const again = createRuntime({ stores, onProblem: () => undefined });
    for (const { action } of runtime.trace.steps) if (action) again.dispatch(action);
    expect(runtime.snapshot()).toEqual(again.snapshot());
    expect(runtime.snapshot()).toMatchObject({
      visits: { day: '2031-03-02', filter: 'all', known: '2031-03-02' },
      address: { at: 'board' },
      log: { note: '' },
    });
    const atNote = runtime.trace.steps.find(({ action }) => action?.type === 'log.noteWritten')!;
    runtime.trace.seek(atNote.seq);
    expect((runtime.snapshot().log as { note: string }).note).toContain('shore power');
  });

  test('a file that was cut short is listed up to its last whole step, and says so', async () => {
    const cut = await floe(['steps', '-'], readFileSync(file, 'utf8').slice(0, -40));
    expect(cut.code).toBe(0);
    expect(cut.out.trimEnd().split('\n')).toHaveLength(46);
    expect(cut.err).toContain('FLOE_TRACE_CUT_SHORT');
  });
});

test('the demo serves the page and the office, says when its port is taken, and stops on a signal', async () => {
  const child = spawn(process.execPath, [demoProgram, '--port', '0'], { stdio: ['ignore', 'pipe', 'pipe'] });
  const address = await new Promise<string>((resolve) =>
    child.stdout.once('data', (data: Buffer) => resolve(data.toString().trim())),
  );
  expect(address).toMatch(/^http:\/\/127\.0\.0\.1:\d+$/);
  expect(await (await fetch(address)).text()).toContain('Skerrow Harbour');
  const visits = (await (await fetch(`${address}/office/days/2031-03-02/visits`)).json()) as unknown[];
  expect(visits.length).toBeGreaterThan(30);
  expect((await fetch(`${address}/office/port?fail=503`)).status).toBe(503);
  expect((await fetch(`${address}/office/days/2031-13-02/visits`)).status).toBe(400);
  const second = await demo(['--port', new URL(address).port]);
  expect(second).toMatchObject({ code: 2, out: '' });
  expect(second.err).toMatch(/^Port \d+ is taken .*--port/);
  child.kill('SIGTERM');
  expect(await new Promise((resolve) => child.once('exit', resolve))).toBe(0);
});

test.each([
  ['FLOE_FILE_UNREADABLE', ['steps', join(folder, 'missing.jsonl')], ''],
  ['FLOE_FILE_UNREADABLE', ['steps', folder], ''],
  ['FLOE_NOT_A_TRACE', ['steps', '-'], ''],
  ['FLOE_NOT_A_TRACE', ['steps', '-'], 'hello\n'],
  ['FLOE_TRACE_DAMAGED', ['steps', '-'], '{"floe":"trace","version":1}\n{"seq":-1}\n'],
  ['FLOE_BAD_OPTION', ['inspect', '--port', 'x'], ''],
  ['unknown command', ['stepz'], ''],
  ['missing required argument', ['steps'], ''],
])('%s: floe %j exits 2 with a reason and no stack', async (code, args, input) => {
  const ended = await floe(args, input, folder);
  expect(ended.code).toBe(2);
  expect(ended.err).toContain(code);
  expect(ended.err).not.toMatch(/^\s+at /m);
});

test('the demo refuses values that it cannot use, and a place where it cannot write', async () => {
  const refused = async (...args: string[]) => {
    const { code, err } = await demo(args, folder);
    expect(code).toBe(2);
    return err;
  };
  expect(await refused('--port', 'x')).toContain('Give a port, 0 to 65535.');
  expect(await refused('--fail', '2')).toContain('Give a share from 0 to 1.');
  expect(await refused('--headless', '--save', join('no', 'such', 'folder.jsonl'))).toContain('cannot be written to');
});

test('a port that is taken by another program is named', async () => {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const { code, err } = await floe(['inspect', '--port', String(port)]);
  server.close();
  expect([code, err]).toEqual([2, expect.stringContaining(`Port ${port}`)]);
});
