// Trace files that are damaged, hostile or long, and the commands that read them, as processes.
import { afterAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { appendFileSync, mkdtempSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRuntime, store } from 'floe';
import { recording } from 'floe/trace';
import { bin, floe, floeInOneProcess } from '../support/command.js';

const folder = mkdtempSync(join(tmpdir(), 'floe-hard-'));
const model = join(process.cwd(), 'examples/harbour/dist/src/model/index.js');
const place = (name: string): string => join(folder, name);
afterAll(() => rmSync(folder, { recursive: true }));

const runtime = createRuntime({
  stores: [store('visits', { list: [] }), store('log', { note: '' })],
  trace: recording(),
});
const [header, initial] = runtime.trace.export().split('\n');

describe('files that are hard to read', () => {
  const commands = [
    'steps',
    'state',
    'changes --from 0 --to 1',
    'history --path /log/note',
    'replay --model MODEL',
    'write-test --model x',
  ];
  const hostile: [string, () => string][] = [
    ['no JSON', () => 'hello\n'],
    ['wrong types', () => `${header}\n{"seq":"0","changes":{}}\n`],
    ['huge numbers', () => `${header}\n${initial.replace('"seq":0', '"seq":1e308')}\n`],
    [
      'a step far away',
      () =>
        `${header}\n${initial.replace('"seq":0', '"seq":9007199254740000').replace('"path":"/visits"', '"path":"/a/b/c"')}\n`,
    ],
    [
      'deep nesting',
      () => `${header}\n${initial.replace('"value":', `"value":${'['.repeat(200_000)}${']'.repeat(200_000)},"x":`)}\n`,
    ],
    [
      'a patch that does not apply',
      () => `${header}\n${initial.replace('"path":"/visits"', '"path":"/visits/__proto__/polluted"')}\n`,
    ],
    ['a line that breaks off, and another one', () => `${header}\n{"seq":0\n${initial}\n`],
  ];
  test.each(hostile)('%s: a clear error, exit code 2', async (name, make) => {
    const bad = place('bad.jsonl');
    writeFileSync(bad, make());
    const asked = commands.flatMap((command) => {
      const [first, ...rest] = command.replace('MODEL', model).split(' ');
      // Listing does not apply what it lists.
      if (first === 'steps' && (name.includes('apply') || name.includes('far') || name.includes('deep'))) return [];
      // Of the store that is asked for, there is nothing wrong.
      if (first === 'history' && (name.includes('apply') || name.includes('far'))) return [];
      return [[first, bad, ...rest]];
    });
    for (const args of asked) {
      const { code, err } = await floeInOneProcess(args);
      expect([name, code, err]).toEqual([name, 2, expect.stringMatching(/^(?:\S+\r)?FLOE_[A-Z_]+: .{20}/)]);
    }
  });

  test('floe steps does not read a line of a gigabyte to its end', async () => {
    const bad = place('gigabyte.jsonl');
    writeFileSync(bad, '{"floe":"trace","version":2,"written":"x"}\n');
    truncateSync(bad, 1024 ** 3);
    const { code, err } = await floe(['steps', bad]);
    expect([code, err]).toEqual([2, expect.stringContaining('line 2 is longer than 64 MB')]);
  });
});

test('floe steps lists 100,000 steps in little memory', async () => {
  const long = place('long.jsonl');
  const header = '{"floe":"trace","version":2,"written":"2031-03-02T06:00:00.000Z"}\n';
  const first =
    '{"seq":0,"time":0,"kind":"fact","fact":"initial","cause":{"by":"runtime"},"stores":["log"],"changes":[{"op":"add","path":"/log","value":{"n":0}}],"undo":[{"op":"remove","path":"/log"}],"took":0,"outcome":"applied","after":null,"branch":0}\n';
  writeFileSync(long, header + first);
  for (let i = 1; i <= 100_000; i += 10_000) {
    let part = '';
    for (let n = i; n < i + 10_000; n++)
      part += `{"seq":${n},"time":${n},"kind":"action","action":{"type":"log.counted"},"cause":{"by":"code"},"stores":["log"],"changes":[{"op":"replace","path":"/log/n","value":${n}}],"undo":[{"op":"replace","path":"/log/n","value":${n - 1}}],"took":0.01,"outcome":"applied","after":${n - 1},"branch":0}\n`;
    appendFileSync(long, part);
  }
  // As text alone these steps are 27 MB, as objects several times that.
  const floeIn = (args: string[]) =>
    new Promise<{ code: number | null; out: number; last: string }>((resolve) => {
      const child = spawn(process.execPath, ['--max-old-space-size=48', bin, ...args], {
        env: { ...process.env, NO_COLOR: '1' },
      });
      let [out, last] = [0, ''];
      child.stdout.on('data', (data: Buffer) => {
        const text = data.toString();
        out += text.split('\n').length - 1;
        last = text;
      });
      child.on('close', (code) => resolve({ code, out, last: last.trimEnd().split('\n').at(-1)! }));
    });
  expect(await floeIn(['steps', long])).toMatchObject({ code: 0, out: 100_002 });
  expect(await floeIn(['state', long, '--path', '/log/n', '--step', '98765', '--json'])).toMatchObject({
    code: 0,
    last: '98765',
  });
});
