// Real processes and threads on a real folder: killed in the middle of a write, two at once, and folders that change.
import { afterAll, describe, expect, test } from '@jest/globals';
import { spawn, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { createRuntime, store } from 'floe';
import { fileStorage } from 'floe/persist/node';
import { handClock } from 'floe/testing';

const folder = mkdtempSync(join(tmpdir(), 'floe-'));
afterAll(() => rmSync(folder, { recursive: true }));

const declare = () => {
  const log = store('log', { note: '' }).persisted();
  const written = log.action('written', (draft, note: string) => {
    draft.note = note;
  });
  return { log, written };
};
const codeOf = (fn: () => unknown): string | undefined => {
  try {
    fn();
    return undefined;
  } catch (error) {
    return (error as { code?: string }).code;
  }
};

test('a process that is killed at any moment leaves a state with every acknowledged change', () => {
  const { stdout, status } = spawnSync(process.execPath, ['scripts/crash.mjs'], {
    env: { ...process.env, FLOE_KILLS: '8', NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  expect(JSON.parse(stdout)).toMatchObject({ kills: 8, wrong: 0, lost: 0, damaged: 0 });
  expect(status).toBe(0);
});

test('a folder has one owner: a second runtime and a second process are refused until the first is closed', async () => {
  const place = join(folder, 'owned');
  const open = () => {
    const own = declare();
    return {
      ...own,
      runtime: createRuntime({ stores: [own.log], storage: fileStorage({ folder: place, writeAfter: 0 }) }),
    };
  };
  const first = open();
  expect(codeOf(open)).toBe('FLOE_STORAGE_IN_USE');
  first.runtime.dispatch(first.written('mine'));
  void first.runtime.close();
  const other = spawn(process.execPath, ['scripts/crash-writer.mjs', place], { stdio: ['ignore', 'pipe', 'inherit'] });
  await new Promise((resolve) => other.stdout.once('data', resolve));
  expect(codeOf(open)).toBe('FLOE_STORAGE_IN_USE');
  other.kill('SIGKILL');
  await new Promise((resolve) => other.once('exit', resolve));
  // Who is dead owns nothing.
  const third = open();
  expect(third.runtime.read(third.log).note).toBe('mine');
  void third.runtime.close();
  await third.runtime.persistence.flush();
  expect(readdirSync(place).filter((name) => name.startsWith('owner.'))).toEqual([]);
  // Whether a process of another machine still runs is not known here.
  writeFileSync(join(place, 'owner.1'), JSON.stringify({ process: 1, host: 'elsewhere', since: '', token: 'x' }));
  expect(codeOf(open)).toBe('FLOE_STORAGE_IN_USE');
});

/** Runs a program that keeps a note in a folder; it says `ready` when the note is gathered, and not written yet. */
const running = (place: string, rest: string) => {
  const program = `
    import { createRuntime, store } from 'floe';
    import { fileStorage } from 'floe/persist/node';
    const log = store('log', { note: '' }).persisted();
    const written = log.action('written', (draft, note) => { draft.note = note; });
    const runtime = createRuntime({ stores: [log], storage: fileStorage({ folder: ${JSON.stringify(place)}, writeAfter: 60_000 }) });
    runtime.dispatch(written('at the end'));
    ${rest}
    process.stdout.write('ready');
  `;
  const child = spawn(process.execPath, ['--input-type=module', '-e', program], {
    env: { ...process.env, NODE_OPTIONS: '' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const ended = new Promise<unknown>((resolve) => child.once('exit', (code, signal) => resolve(signal ?? code)));
  const ready = new Promise((resolve) => child.stdout.once('data', resolve));
  return { child, ready, ended };
};
const stays = 'setInterval(() => undefined, 1000);';

test.each([
  ['it exits', 'setTimeout(() => process.exit(3), 100);', undefined, 3],
  ['SIGTERM ends it', stays, 'SIGTERM', 'SIGTERM'],
  ['SIGINT ends it', stays, 'SIGINT', 'SIGINT'],
  [
    'the application answers the signal',
    `${stays} process.once('SIGTERM', () => setTimeout(() => process.exit(7), 50));`,
    'SIGTERM',
    7,
  ],
] as const)('what a process has gathered is written when %s', async (how, rest, signal, end) => {
  const place = join(folder, `ending ${how}`);
  const { child, ready, ended } = running(place, rest);
  await ready;
  expect(existsSync(join(place, 'log.jsonl'))).toBe(false);
  if (signal) child.kill(signal);
  expect(await ended).toBe(end);
  const { log } = declare();
  const runtime = createRuntime({ stores: [log], storage: fileStorage({ folder: place }) });
  expect(runtime.read(log).note).toBe('at the end');
  await runtime.close();
});

test('a process that has the number of a dead owner is not that owner', async () => {
  const own = join(folder, 'reused');
  const { log, written } = declare();
  const first = createRuntime({ stores: [log], storage: fileStorage({ folder: own }) });
  first.dispatch(written('Fog at the mole'));
  await first.persistence.flush();
  const lock = join(
    own,
    readdirSync(own).find((name) => name.startsWith('owner.'))!,
  );
  const owner = JSON.parse(readFileSync(lock, 'utf8')) as { started?: string };
  await first.close();
  // This test's parent lives, and began at another time than the owner that is noted here.
  writeFileSync(lock, JSON.stringify({ ...owner, process: process.ppid, thread: 0, token: 'gone', started: '1' }));
  const second = createRuntime({ stores: [declare().log], storage: fileStorage({ folder: own }) });
  expect(second.persistence.problems).toEqual([]);
  await second.close();
});

test('files belong to their owner alone, or are as `mode` says', async () => {
  for (const [name, mode, file, around] of [
    ['private', undefined, 0o600, 0o700],
    ['readable', 0o640, 0o640, 0o750],
  ] as const) {
    const own = join(folder, name);
    const { log, written } = declare();
    const runtime = createRuntime({ stores: [log], storage: fileStorage({ folder: own, ...(mode && { mode }) }) });
    runtime.dispatch(written('Fog at the mole'));
    await runtime.persistence.flush();
    const modes = [statSync(own), ...readdirSync(own).map((one) => statSync(join(own, one)))].map(
      (found) => found.mode & 0o777,
    );
    expect(modes).toEqual([around, ...modes.slice(1).map(() => file)]);
    expect(modes.length).toBeGreaterThan(1);
    await runtime.close();
  }
});

test('threads of one process do not share a folder; a thread that ended owns nothing', async () => {
  const place = join(folder, 'threads');
  const own = declare();
  const open = () => createRuntime({ stores: [own.log], storage: fileStorage({ folder: place, writeAfter: 0 }) });
  const begin = async () => {
    const program = `
      import { parentPort } from 'node:worker_threads';
      import { createRuntime, store } from 'floe';
      import { fileStorage } from 'floe/persist/node';
      const log = store('log', { note: '' }).persisted();
      try {
        createRuntime({ stores: [log], storage: fileStorage({ folder: ${JSON.stringify(place)} }) });
        parentPort.postMessage('owns it');
      } catch (error) { parentPort.postMessage(error.code); }
      setInterval(() => undefined, 1000);
    `;
    const path = join(process.cwd(), `thread-${process.pid}.mjs`);
    writeFileSync(path, program);
    const thread = new Worker(path, { execArgv: [] });
    const said: unknown = await new Promise((resolve) => thread.once('message', resolve));
    rmSync(path);
    return { thread, said };
  };
  const first = open();
  const second = await begin();
  expect(second.said).toBe('FLOE_STORAGE_IN_USE');
  await second.thread.terminate();
  await first.close();
  const third = await begin();
  expect([third.said, codeOf(open)]).toEqual(['owns it', 'FLOE_STORAGE_IN_USE']);
  await third.thread.terminate();
  const fourth = open();
  await fourth.close();
});

describe('a folder that changes under a session, or cannot be written', () => {
  const open = (place: string) => {
    const own = declare();
    const codes: unknown[] = [];
    const long = 'x'.repeat(2000);
    const runtime = createRuntime({
      stores: [own.log],
      clock: handClock(),
      storage: fileStorage({ folder: place, writeAfter: 0 }),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code ?? error),
    });
    return { ...own, runtime, codes, long, again: () => open(place) };
  };

  test('a file that was removed, cut or exchanged is written whole again', async () => {
    const place = join(folder, 'removed');
    const file = join(place, 'log.jsonl');
    const { runtime, written, long, codes, again } = open(place);
    runtime.dispatch(written(long));
    for (const [i, harm] of [
      () => rmSync(file),
      () => truncateSync(file, 10),
      () => writeFileSync(file, 'something else\n'),
      () => rmSync(place, { recursive: true }),
    ].entries()) {
      runtime.dispatch(written(`${long}${i}`));
      harm();
      runtime.dispatch(written(`${long}${i} and more`));
      expect(readFileSync(file, 'utf8').split('\n')[0]).toContain(`${i} and more`);
      // It is still the owner.
      expect(codeOf(again)).toBe('FLOE_STORAGE_IN_USE');
    }
    await runtime.close();
    const next = again();
    expect([next.runtime.read(next.log).note, codes, next.codes]).toEqual([`${long}3 and more`, [], []]);
    await next.runtime.close();
  });

  test('a folder that another session took meanwhile is not written to', async () => {
    const place = join(folder, 'taken');
    const { runtime, written, codes, again } = open(place);
    runtime.dispatch(written('first'));
    rmSync(place, { recursive: true });
    const other = again();
    other.runtime.dispatch(other.written('the other'));
    runtime.dispatch(written('second'));
    expect([codes, runtime.persistence.pending]).toEqual([['FLOE_STORAGE_FAILED'], ['log']]);
    expect(runtime.persistence.problems.at(-1)!.message).toContain('Another runtime keeps its state');
    await other.runtime.close();
    expect(readFileSync(join(place, 'log.jsonl'), 'utf8')).toContain('the other');
    await runtime.close();
  });

  test('a path that is a file is a problem, and the session goes on in memory', async () => {
    const place = join(folder, 'a file');
    writeFileSync(place, 'mine');
    const { runtime, log, written, codes } = open(place);
    runtime.dispatch(written('in memory'));
    expect([runtime.read(log).note, await runtime.persistence.flush(), codes]).toEqual([
      'in memory',
      false,
      ['FLOE_STORAGE_UNREADABLE'],
    ]);
    await runtime.close();
    expect(readFileSync(place, 'utf8')).toBe('mine');
  });

  // In this folder of the system files can be read, and none can be made: as on a full disk.
  const full = '/proc/self/task';
  (existsSync(full) ? test : test.skip)('where nothing can be written, what is there is read', async () => {
    const { runtime, log, written, codes } = open(full);
    expect([runtime.read(log).note, codes]).toEqual(['', []]);
    runtime.dispatch(written('in memory'));
    expect([await runtime.persistence.flush(), codes, runtime.persistence.pending]).toEqual([
      false,
      ['FLOE_STORAGE_FAILED'],
      ['log'],
    ]);
    await runtime.close();
  });

  test('bytes that are no text are kept as they are', async () => {
    const place = join(folder, 'bytes');
    const first = open(place);
    first.runtime.dispatch(first.written('æ'));
    await first.runtime.close();
    const file = join(place, 'log.jsonl');
    const bytes = readFileSync(file);
    // Half of the character.
    bytes[bytes.indexOf('æ') + 1] = 0xff;
    writeFileSync(file, bytes);
    const next = open(place);
    expect(next.codes).toEqual(['FLOE_STORED_DAMAGED']);
    const kept = readdirSync(place).find((name) => name.endsWith('.bytes'))!;
    expect(readFileSync(join(place, kept)).equals(bytes)).toBe(true);
    expect(await next.runtime.persistence.forget()).toBe(true);
    expect(readdirSync(place).filter((name) => !name.startsWith('owner.'))).toEqual([]);
    await next.runtime.close();
  });
});
