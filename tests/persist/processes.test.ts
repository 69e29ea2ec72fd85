// Real processes on a real folder: killed in the middle of a write, and two of them at once.
import { afterAll, expect, test } from '@jest/globals';
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRuntime, store } from 'floe';
import { fileStorage } from 'floe/persist/node';

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

test('killed at any moment, what comes back is a state that was, with all that was acknowledged', () => {
  const { stdout, status } = spawnSync(process.execPath, ['scripts/crash.mjs'], {
    env: { ...process.env, FLOE_KILLS: '8', NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  expect(JSON.parse(stdout)).toMatchObject({ kills: 8, wrong: 0, lost: 0, damaged: 0 });
  expect(status).toBe(0);
});

test('a folder has one owner: a second runtime and a second process are refused until the first has let go', async () => {
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
  // Of another machine nobody here can tell.
  writeFileSync(join(place, 'owner.1'), JSON.stringify({ process: 1, host: 'elsewhere', since: '', token: 'x' }));
  expect(codeOf(open)).toBe('FLOE_STORAGE_IN_USE');
});

test('what is not written yet is written when the process ends', () => {
  const place = join(folder, 'ending');
  const script = `
    import { createRuntime, store } from 'floe';
    import { fileStorage } from 'floe/persist/node';
    const log = store('log', { note: '' }).persisted();
    const written = log.action('written', (draft, note) => { draft.note = note; });
    const runtime = createRuntime({ stores: [log], storage: fileStorage({ folder: ${JSON.stringify(place)}, writeAfter: 60_000 }) });
    runtime.dispatch(written('at the end'));
    process.exit(0);
  `;
  const { status } = spawnSync(process.execPath, ['--input-type=module', '-e', script], {
    env: { ...process.env, NODE_OPTIONS: '' },
  });
  expect([status, existsSync(join(place, 'log.jsonl'))]).toEqual([0, true]);
  const { log } = declare();
  expect(createRuntime({ stores: [log], storage: fileStorage({ folder: place }) }).read(log).note).toBe('at the end');
});
