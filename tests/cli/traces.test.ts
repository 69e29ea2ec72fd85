// The commands that look into trace files, on the demo's own trace.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { appendFileSync, copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Step } from 'floe/trace';
import { changedModel } from '../../scripts/changed-model.mjs';
import { bin, demo, floe, floeInOneProcess } from '../support/command.js';

const folder = mkdtempSync(join(tmpdir(), 'floe-traces-'));
const file = join(folder, 'shift.jsonl');
const model = join(process.cwd(), 'examples/harbour/dist/src/model/index.js');
const place = (name: string): string => join(folder, name);
afterAll(() => rmSync(folder, { recursive: true }));

let text: string;
let steps: Step[];
let note: Step;
beforeAll(async () => {
  await demo(['--headless', '--save', file]);
  text = readFileSync(file, 'utf8');
  steps = text
    .trimEnd()
    .split('\n')
    .slice(1)
    .map((line) => JSON.parse(line) as Step);
  note = steps.find(({ action }) => action?.type === 'log.noteWritten')!;
});

/** Characters that a terminal obeys instead of showing them. */
const unshown = (text: string): string[] =>
  Array.from(text).filter((one) => one !== '\n' && /[\p{Cc}\u202e]/u.test(one));
const lines = (out: string): string[] => out.trimEnd().split('\n');
const json = (out: string): Record<string, unknown>[] =>
  lines(out).map((line) => JSON.parse(line) as Record<string, unknown>);

describe('floe steps', () => {
  test('floe steps chooses by store, type and number', async () => {
    const run = async (...args: string[]) =>
      json((await floeInOneProcess(['steps', file, '--json', ...args])).out).map(({ seq }) => seq as number);
    expect(await run('--store', 'log')).toEqual(
      steps.filter(({ stores }) => stores.includes('log')).map(({ seq }) => seq),
    );
    expect(await run('--type', 'visits.loadDay', 'log.noteWritten')).toContain(note.seq);
    expect(await run('--from', '3', '--to', '5')).toEqual([3, 4, 5]);
    expect((await floeInOneProcess(['steps', file, '--from', 'x'])).err).toContain('FLOE_BAD_OPTION');
    const people = await floeInOneProcess(['steps', file, '--type', 'log.noteWritten']);
    expect(lines(people.out)).toHaveLength(2);
    expect(people.err).toContain(`1 of ${steps.length} steps`);
  });

  test('floe steps --follow lists steps as they are written', async () => {
    const growing = place('growing.jsonl');
    const all = text.split('\n');
    writeFileSync(growing, all.slice(0, 4).join('\n') + '\n');
    const child = spawn(process.execPath, [bin, 'steps', growing, '--follow', '--json'], {
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let out = '';
    const seen = (count: number) =>
      new Promise<void>((resolve) => {
        const look = (): void => {
          if (out.split('\n').length > count) resolve();
        };
        child.stdout.on('data', look);
        look();
      });
    child.stdout.on('data', (data: Buffer) => (out += data.toString()));
    await seen(3);
    appendFileSync(growing, all[4].slice(0, 20));
    appendFileSync(growing, all[4].slice(20) + '\n' + all[5] + '\n');
    await seen(5);
    child.kill('SIGINT');
    expect(await new Promise((resolve) => child.on('close', resolve))).toBe(0);
    expect(json(out).map(({ seq }) => seq)).toEqual([0, 1, 2, 3, 4]);
  });
});

describe('floe step', () => {
  test('shows one step whole: payload, chain of causes, reason, values before and after', async () => {
    const planned = steps.find(({ action }) => action?.type === 'port.planned' || action?.type === 'port.movedOn')!;
    const { out, code } = await floeInOneProcess(['step', file, String(planned.seq)]);
    expect(code).toBe(0);
    for (const part of [
      `Step ${planned.seq}`,
      planned.action!.type,
      'payload',
      'because of',
      'after step',
      'begins',
      'where',
    ])
      expect(out).toContain(part);
    const whole = json((await floeInOneProcess(['step', file, String(planned.seq), '--json'])).out)[0];
    expect(whole).toMatchObject({ ...planned, causes: [{ name: expect.stringContaining('begins') as unknown }] });
    const listed = json((await floeInOneProcess(['steps', file, '--json'])).out).find(({ seq }) => seq === note.seq)!;
    expect(listed.payload).toBe(note.action!.payload);
    expect((await floeInOneProcess(['step', file, '999'])).err).toContain('FLOE_NO_SUCH_STEP');
    const first = steps.find(({ action }) => action?.type === 'port.ingest')!;
    const reported = (await floeInOneProcess(['step', file, String(first.seq)])).out;
    expect(reported).toMatch(/and \d+ more lines; --json has all/);
    expect(reported.split('\n').length).toBeLessThan(60);
  });

  test('floe steps says why a step failed, and floe step where', async () => {
    const bad = place('failed.jsonl');
    const header = text.split('\n')[0];
    const base = { time: 0, cause: { by: 'code' }, stores: [], undo: [], took: 0, branch: 0 };
    const failed = {
      ...base,
      seq: 1,
      after: 0,
      kind: 'action',
      action: { type: 'log.written', payload: { text: 'a\u001b[31mred\u202e' } },
      changes: [],
      outcome: 'failed',
      reason: 'no \u001b[2J paper\u0007',
      stack: 'Error: no paper\n    at written (log.ts:3:1)',
    };
    const initial = { ...base, seq: 0, after: null, kind: 'fact', fact: 'initial', changes: [], outcome: 'applied' };
    writeFileSync(bad, [header, JSON.stringify(initial), JSON.stringify(failed), ''].join('\n'));
    const [table, one] = [await floeInOneProcess(['steps', bad]), await floeInOneProcess(['step', bad, '1'])];
    expect(table.out).toContain('log.written (failed): no \\u001b[2J paper\\u0007');
    expect(one.out).toContain('log.ts:3:1');
    const all = await Promise.all([
      floeInOneProcess(['steps', bad, '--json']),
      floeInOneProcess(['step', bad, '1', '--json']),
    ]);
    // Nothing of a file reaches a terminal as a control character.
    for (const { out, err } of [table, one, ...all]) expect(unshown(out + err)).toEqual([]);
    expect(json(all[1].out)[0].reason).toBe(failed.reason);
  });

  test('the command ends quietly when its pipe is closed', async () => {
    const long = place('long.jsonl');
    const [header, first] = text.split('\n');
    const many = Array.from({ length: 60_000 }, (_, i) =>
      JSON.stringify({ ...(JSON.parse(first) as Step), seq: i, after: i === 0 ? null : i - 1, changes: [], undo: [] }),
    );
    writeFileSync(long, [header, ...many, ''].join('\n'));
    const child = spawn(process.execPath, [bin, 'steps', long], { stdio: ['ignore', 'pipe', 'pipe'] });
    let err = '';
    child.stderr.on('data', (data: Buffer) => (err += data.toString()));
    child.stdout.once('data', () => child.stdout.destroy());
    expect(await new Promise((resolve) => child.on('close', resolve))).toBe(0);
    expect(err).not.toContain('EPIPE');
  });
});

describe('the demo', () => {
  test('saves the trace of a shift that breaks off, and ends with 1', async () => {
    const broken = place('broken.jsonl');
    const { code, out, err } = await demo(['--headless', '--fail', '1', '--save', broken]);
    expect([code, err.includes('FLOE_UNEXPECTED')]).toEqual([1, false]);
    expect(out).toContain('The shift breaks off');
    expect((await floeInOneProcess(['steps', broken])).out).toContain('failed');
  });
});

describe('floe state, floe changes, floe history', () => {
  test('floe state shows the state after a step, whole or in part', async () => {
    const { out } = await floeInOneProcess([
      'state',
      file,
      '--path',
      '/log/note',
      '--step',
      String(note.seq),
      '--json',
    ]);
    expect(JSON.parse(out)).toBe(note.action!.payload);
    expect(JSON.parse((await floeInOneProcess(['state', file, '--path', '/log'])).out)).toEqual({ note: '' });
    expect(Object.keys(JSON.parse((await floe(['state', '-'], text)).out) as object)).toContain('port');
    const missing = await floeInOneProcess(['state', file, '--path', '/log/nothing']);
    expect([missing.code, missing.err]).toEqual([2, expect.stringContaining('FLOE_NO_VALUE')]);
    expect((await floeInOneProcess(['state', file, '--step', '999'])).err).toContain('FLOE_NO_SUCH_STEP');
  });

  test('floe changes shows the patch from one step to another, in both directions', async () => {
    const there = await floeInOneProcess([
      'changes',
      file,
      '--from',
      String(note.seq - 1),
      '--to',
      String(note.seq),
      '--json',
    ]);
    expect(JSON.parse(there.out)).toEqual(note.changes);
    const back = await floeInOneProcess([
      'changes',
      file,
      '--from',
      String(note.seq),
      '--to',
      String(note.seq - 1),
      '--json',
    ]);
    expect(JSON.parse(back.out)).toEqual(note.undo);
    const people = await floeInOneProcess(['changes', file, '--from', '0', '--to', String(note.seq)]);
    expect(people.out).toMatch(/replace +\/log\/note +"" +"Corran Bell/);
  });

  test('floe changes compares steps of different branches', async () => {
    const line = (seq: number, after: number | null, branch: number, n: number, was: number): string => {
      const [changes, undo] = [
        [{ op: 'replace', path: '/log/n', value: n }],
        [{ op: 'replace', path: '/log/n', value: was }],
      ];
      const start = [{ op: 'add', path: '/log', value: { n } }];
      const kind =
        after === null ? { kind: 'fact', fact: 'initial' } : { kind: 'action', action: { type: 'log.counted' } };
      const patch = after === null ? { changes: start, undo: [{ op: 'remove', path: '/log' }] } : { changes, undo };
      const rest = { cause: { by: 'code' }, stores: ['log'], took: 0, outcome: 'applied' };
      return JSON.stringify({ seq, after, branch, time: 0, ...kind, ...patch, ...rest });
    };
    const header = '{"floe":"trace","version":2,"written":"2031-03-02T06:00:00.000Z"}';
    const forked = [header, line(0, null, 0, 0, 0), line(1, 0, 0, 1, 0), line(2, 1, 0, 2, 1), line(3, 0, 1, 7, 0)].join(
      '\n',
    );
    const between = async (from: string, to: string) =>
      JSON.parse((await floe(['changes', '-', '--from', from, '--to', to, '--json'], forked)).out) as unknown;
    expect(await between('2', '3')).toEqual([{ op: 'replace', path: '/log/n', value: 7 }]);
    expect(await between('3', '2')).toEqual([{ op: 'replace', path: '/log/n', value: 2 }]);
    expect(await between('1', '3')).toEqual([{ op: 'replace', path: '/log/n', value: 7 }]);
  });

  test('floe history lists who changed a value, and why', async () => {
    const moved = steps.filter(({ action }) => action?.type === 'port.movedOn');
    const key = (moved[0].action!.payload as { id: string }).id;
    const found = json((await floeInOneProcess(['history', file, '--path', `/port/visit/${key}/phase`, '--json'])).out);
    expect(found.map(({ after }) => after)).toEqual(['expected', 'alongside']);
    expect(found[1]).toMatchObject({
      seq: moved[0].seq,
      name: 'port.movedOn',
      before: 'expected',
      cause: { by: 'task' },
    });
    expect((await floeInOneProcess(['history', file, '--path', '/log/note'])).out).toMatch(
      /wrote in the log .*"" +"Corran Bell/,
    );
    // The empty pointer is all of it.
    const all = await floeInOneProcess(['history', file, '--path', '']);
    expect([all.code, all.err]).toEqual([0, expect.stringMatching(/^\d+ steps changed the states up to step 45\.$/m)]);
  });
});

describe('floe compare, floe replay, floe write-test', () => {
  test('floe replay ends with 0 where the code does as recorded', async () => {
    const { code, out } = await floeInOneProcess(['replay', file, '--model', model]);
    expect([code, out]).toEqual([0, expect.stringMatching(/^As recorded: \d+ actions in \d+ steps/)]);
  });

  test('floe replay finds a change in the code of a store, with the step and the pointer', async () => {
    writeFileSync(place('changed.mjs'), changedModel(model));
    const args = ['replay', file, '--model', place('changed.mjs')];
    const { code, out } = await floe(args);
    expect(code).toBe(1);
    expect(out).toContain(`step ${note.seq}: wrote in the log`);
    expect(out).toMatch(/where +\/log\/note\n/);
    expect(out).toMatch(/recorded +"Corran Bell .*\n +now +"CORRAN BELL/);
    expect(json((await floe([...args, '--json'])).out)[0]).toMatchObject({
      divergence: { seq: note.seq, pointer: '/log/note' },
    });
  });

  test('floe compare finds the step at which two traces differ', async () => {
    const other = place('other.jsonl');
    copyFileSync(file, other);
    expect(await floeInOneProcess(['compare', file, other])).toMatchObject({
      code: 0,
      out: `The same: all ${steps.length} steps.\n`,
    });
    writeFileSync(other, text.replaceAll('Corran Bell asks', 'Wren Sound asks'));
    const parted = await floeInOneProcess(['compare', file, other]);
    expect(parted.code).toBe(1);
    expect(parted.out).toContain(`The first ${note.seq} steps are the same`);
    expect(json((await floeInOneProcess(['compare', file, other, '--json'])).out)[0]).toMatchObject({
      same: note.seq,
      parts: { why: 'event', a: note.seq, b: note.seq },
    });
  });

  test('floe write-test writes a test to standard output, or with its state beside it', async () => {
    const range = ['--from', String(note.seq), '--to', String(note.seq)];
    // The tables are long by then.
    const { seq } = steps.findLast(({ kind, stores }) => kind === 'action' && stores.includes('port'))!;
    const late = ['write-test', file, '--model', './model.js', '--from', String(seq)];
    const long = await floe(late);
    expect([long.code, long.err]).toEqual([2, expect.stringContaining('--out')]);
    expect(long.err).toContain('the states of all stores');
    const short = await floeInOneProcess(['write-test', file, '--model', model, ...range]);
    expect([short.code, short.out.match(/given = .*/)?.[0]]).toEqual([0, expect.stringMatching(/^given = \{ log:/)]);
    // As a project for a bundler imports it: without an ending.
    const bare = await floeInOneProcess(['write-test', file, '--model', model.replace(/\.js$/, ''), ...range]);
    expect([bare.out.replace(/model\/index'/, "model/index.js'"), bare.err]).toEqual([short.out, short.err]);
    const none = await floeInOneProcess(
      ['write-test', file, '--model', '../none', ...range, '--out', place('none.test.ts')],
      folder,
    );
    expect(none.err).toContain("There is no '../none' beside the test so far");
    const out = place('new/note.test.mjs');
    const written = await floeInOneProcess([...late, '--title', 'a note', '--out', out]);
    expect(lines(written.out)).toEqual([out, place('new/note.given.json')]);
    expect(readFileSync(out, 'utf8')).toContain("new URL('./note.given.json', import.meta.url)");
  });
});
