// `floe stored`: the real command line on folders and on a file saved from a browser; and what past versions stored.
import { afterAll, describe, expect, test } from '@jest/globals';
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRuntime } from 'floe';
import { fileStorage } from 'floe/persist/node';
import { log, visits } from '../../examples/harbour/src/model/index.js';
import { seal } from '../../src/persist/checksums.js';
import { floeInOneProcess } from '../support/command.js';
import { storedText } from '../support/stored-text.js';

const folder = mkdtempSync(join(tmpdir(), 'floe-stored-'));
afterAll(() => rmSync(folder, { recursive: true }));
const fixtures = join(process.cwd(), 'tests/fixtures/stored');
const model = join(process.cwd(), 'examples/harbour/dist/src/model/index.js');
let copies = 0;
const copyOf = (version: number): string => {
  const copy = join(folder, `copy-${++copies}`);
  cpSync(join(fixtures, `version-${version}`), copy, { recursive: true });
  return copy;
};
interface Report {
  store: string;
  fit: boolean;
  verdict: string;
  why?: string;
  state?: unknown;
  becomes?: unknown;
  text?: string;
}
const reportsOf = (out: string): Report[] =>
  out
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Report);

const expected = [
  [1, { day: '2031-03-04', filter: 'alongside' }, 'Shore power on N2 is out until 14:00'],
  [2, { day: '2031-03-05', filter: 'expected' }, 'Kept by version 2'],
  [3, { day: '2031-03-06', filter: 'all' }, 'Kept by version 3'],
] as const;

describe.each(expected)('what version %i of the harbour stored', (version, kept, note) => {
  test('the present version opens it, and writes it in the present format', async () => {
    const copy = copyOf(version);
    const open = () => createRuntime({ stores: [visits, log], storage: fileStorage({ folder: copy }) });
    const runtime = open();
    expect([runtime.read(visits), runtime.read(log).note]).toEqual([{ ...kept, known: null }, note]);
    expect([await runtime.persistence.flush(), runtime.persistence.problems]).toEqual([true, []]);
    void runtime.close();
    expect(readdirSync(copy).filter((name) => name.startsWith('visits'))).toEqual(['visits.jsonl']);
    expect(readFileSync(join(copy, 'visits.jsonl'), 'utf8')).toContain('"version":4');
    const again = open();
    expect(again.read(visits)).toEqual({ ...kept, known: null });
    void again.close();
  });

  test('floe stored lists it, and tries its upgrade without writing', async () => {
    const copy = copyOf(version);
    const before = readdirSync(copy).map((name) => readFileSync(join(copy, name), 'utf8'));
    const { code, out } = await floeInOneProcess(['stored', copy, '--model', model, '--json']);
    expect([code, reportsOf(out)]).toMatchObject([
      0,
      [
        { store: 'log', verdict: 'fits', state: { note } },
        { store: 'visits', verdict: 'fits after its upgrade to version 4', becomes: kept },
      ],
    ]);
    expect(readdirSync(copy).map((name) => readFileSync(join(copy, name), 'utf8'))).toEqual(before);
  });
});

describe('damage', () => {
  test('floe stored shows the damage, and --mend sets it aside', async () => {
    const copy = copyOf(3);
    const file = join(copy, 'visits.jsonl');
    const text = readFileSync(file, 'utf8');
    writeFileSync(file, text.replace('cancelled', 'cancalled'));
    const shown = await floeInOneProcess(['stored', copy]);
    expect([shown.code, shown.out]).toEqual([
      1,
      expect.stringMatching(/visits .*damaged in part: change 1 cannot be used/),
    ]);
    const mended = await floeInOneProcess(['stored', copy, '--mend', '--model', model, '--json']);
    expect([mended.code, mended.err]).toEqual([
      0,
      expect.stringContaining("visits: what was there is set aside as 'visits.aside."),
    ]);
    expect(reportsOf(mended.out)).toMatchObject([
      { store: 'log', fit: true },
      { store: 'visits', fit: true, becomes: { day: '2031-03-06', filter: 'expected' } },
      {
        store: 'visits',
        verdict: 'set aside',
        text: text.replace('cancelled', 'cancalled'),
        why: expect.stringContaining('change 1') as unknown,
      },
    ]);
    const runtime = createRuntime({ stores: [visits], storage: fileStorage({ folder: copy }) });
    expect([runtime.read(visits).filter, runtime.persistence.problems]).toEqual(['expected', []]);
    void runtime.close();
  });

  test('floe stored reports a state that the model cannot use', async () => {
    const file = join(folder, 'kept.json');
    const texts = {
      'other:x': 'not of floe',
      'harbour:log': readFileSync(join(fixtures, 'version-2/log.jsonl'), 'utf8'),
      'harbour:visits': storedText('visits', [1, 2]),
    };
    writeFileSync(file, JSON.stringify(texts));
    const plain = await floeInOneProcess(['stored', file, '--prefix', 'harbour:']);
    expect(plain).toMatchObject({ code: 0 });
    const tried = await floeInOneProcess(['stored', file, '--prefix', 'harbour:', '--model', model]);
    expect([tried.code, tried.out]).toEqual([
      1,
      expect.stringContaining('does not fit: it does not pass its check: /day: is not a day'),
    ]);
    const mended = await floeInOneProcess(['stored', file, '--prefix', 'harbour:', '--model', model, '--mend']);
    expect(mended.code).toBe(0);
    const after = JSON.parse(readFileSync(file, 'utf8')) as Record<string, string>;
    const aside = Object.keys(after).find((key) => key.startsWith('harbour:visits.aside.'))!;
    expect([after['other:x'], after['harbour:log'], after['harbour:visits']]).toEqual([
      texts['other:x'],
      texts['harbour:log'],
      undefined,
    ]);
    expect(after[aside]).toContain('[1,2]');
    const one = await floeInOneProcess(['stored', file, '--prefix', 'harbour:', '--store', 'log']);
    expect(JSON.parse(one.out)).toEqual({ note: 'Kept by version 2' });
  });

  test.each([
    ['a place that is not there', ['nowhere'], 'FLOE_FILE_UNREADABLE'],
    ['a file that is not JSON', [join(process.cwd(), 'README.md')], 'FLOE_NOT_STORED'],
    ['an empty folder', [join(process.cwd(), 'tests/fixtures/stored')], 'FLOE_NOT_STORED'],
    ['a store that nothing is kept of', [join(fixtures, 'version-1'), '--store', 'berths'], 'FLOE_NOT_STORED'],
    ['a model that is none', [join(fixtures, 'version-1'), '--model', 'package.json'], 'FLOE_MODEL_UNUSABLE'],
  ])('%s is an error with exit code 2', async (_what, args, code) => {
    expect(await floeInOneProcess(['stored', ...args])).toMatchObject({
      code: 2,
      out: '',
      err: expect.stringContaining(code) as unknown,
    });
  });

  test('a folder in use is not mended', async () => {
    const copy = copyOf(3);
    const runtime = createRuntime({ stores: [visits], storage: fileStorage({ folder: copy }) });
    const file = join(copy, 'log.jsonl');
    writeFileSync(file, readFileSync(file, 'utf8').replace('Kept', 'Kebt'));
    expect(await floeInOneProcess(['stored', copy, '--mend'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('FLOE_STORAGE_IN_USE') as unknown,
    });
    void runtime.close();
  });
});

describe('what is not Floe’s', () => {
  /** Every file of a folder, with its bytes. */
  const bytesIn = (place: string): Record<string, string> =>
    Object.fromEntries(
      readdirSync(place, { withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map(({ name }) => [name, readFileSync(join(place, name)).toString('base64')]),
    );
  const project = (): string => {
    const place = copyOf(3);
    for (const name of ['package.json', 'package-lock.json', 'tsconfig.base.json', 'README.md'])
      cpSync(join(process.cwd(), name), join(place, name));
    writeFileSync(join(place, 'lines.jsonl'), '{"a":1}\n{"a":2}\n');
    writeFileSync(join(place, 'sums.jsonl'), '{"sum":"12345678","total":3}\n');
    mkdirSync(join(place, 'folder.jsonl'));
    writeFileSync(join(place, '100%.jsonl'), 'not even a key');
    writeFileSync(join(place, 'bytes.json'), Buffer.from([0xff, 0xfe, 0x00, 0x80]));
    return place;
  };

  test('floe stored changes no foreign file in the folder of a project', async () => {
    const place = project();
    const before = bytesIn(place);
    for (const more of [[], ['--mend'], ['--mend', '--dry-run']]) {
      const { code, out, err } = await floeInOneProcess(['stored', place, ...more, '--json']);
      expect([code, err.includes('mended')]).toEqual([0, false]);
      const foreign = reportsOf(out).filter(({ verdict }) => verdict.startsWith('not of Floe'));
      expect(foreign.map(({ store }) => store).sort()).toEqual(['lines', 'sums']);
      expect(bytesIn(place)).toEqual(before);
    }
    // Something of Floe's is damaged beside it.
    const text = readFileSync(join(place, 'visits.jsonl'), 'utf8');
    const damaged = Buffer.from(text.replace('cancelled', 'cancelle\u00ff'), 'latin1');
    writeFileSync(join(place, 'visits.jsonl'), damaged);
    const tried = await floeInOneProcess(['stored', place, '--mend', '--dry-run']);
    expect([tried.code, tried.err]).toEqual([
      1,
      expect.stringContaining('would mend  visits: sets the whole text aside'),
    ]);
    expect(bytesIn(place)).toEqual({ ...before, 'visits.jsonl': damaged.toString('base64') });
    expect((await floeInOneProcess(['stored', place, '--mend'])).code).toBe(0);
    const after = bytesIn(place);
    for (const name of Object.keys(before).filter((one) => one !== 'visits.jsonl'))
      expect([name, after[name]]).toEqual([name, before[name]]);
    const copies = readdirSync(place).find((name) => name.startsWith('mended-'))!;
    expect(bytesIn(join(place, copies))).toEqual({ 'visits.jsonl': damaged.toString('base64') });
  });

  test('floe stored writes no lock into a folder without stored states', async () => {
    const place = mkdtempSync(join(folder, 'foreign-'));
    cpSync(join(process.cwd(), 'package.json'), join(place, 'package.json'));
    const before = bytesIn(place);
    for (const more of [[], ['--mend']]) {
      const { code, err } = await floeInOneProcess(['stored', place, ...more]);
      expect([code, err]).toEqual([2, expect.stringContaining('FLOE_NOT_STORED')]);
      expect(bytesIn(place)).toEqual(before);
    }
  });

  test('a newer format is left untouched', async () => {
    const place = copyOf(3);
    const newer = readFileSync(join(place, 'log.jsonl'), 'utf8').replace(/^\{"sum":"[0-9a-f]{8}",/, '{');
    const { line } = seal({ ...(JSON.parse(newer.split('\n')[0]) as object), format: 99 });
    writeFileSync(join(place, 'log.jsonl'), `${line}\n`);
    const before = bytesIn(place);
    const { code, out } = await floeInOneProcess(['stored', place, '--mend']);
    expect([code, out]).toEqual([0, expect.stringMatching(/log .*newer than this floe \(format 99\): left untouched/)]);
    expect(bytesIn(place)).toEqual(before);
  });

  test('a raw export of a browser needs no prefix: keys of others stay where they are', async () => {
    const file = join(folder, 'raw.json');
    const good = readFileSync(join(fixtures, 'version-3/log.jsonl'), 'utf8');
    const bad = readFileSync(join(fixtures, 'version-3/visits.jsonl'), 'utf8').replace('cancelled', 'cancalled');
    const texts = { 'other:x': '{"a":1}', 'harbour:log': good, theme: 'dark', 'harbour:visits': bad, last: '7' };
    writeFileSync(file, JSON.stringify(texts));
    const original = readFileSync(file, 'utf8');
    const plain = await floeInOneProcess(['stored', file]);
    expect([plain.code, plain.err]).toEqual([1, expect.stringContaining("begin with 'harbour:'")]);
    expect(readFileSync(file, 'utf8')).toBe(original);
    const mended = await floeInOneProcess(['stored', file, '--mend']);
    expect(mended.code).toBe(0);
    const after = JSON.parse(readFileSync(file, 'utf8')) as Record<string, string>;
    expect(Object.keys(after).slice(0, 5)).toEqual(Object.keys(texts));
    expect(after).toMatchObject({ 'other:x': texts['other:x'], 'harbour:log': good, theme: 'dark', last: '7' });
    const copy = readdirSync(folder).find((name) => name.startsWith('raw.json.'))!;
    expect(readFileSync(join(folder, copy), 'utf8')).toBe(original);
    writeFileSync(file, JSON.stringify({ ...texts, 'desk:log': good }));
    const two = await floeInOneProcess(['stored', file, '--mend']);
    expect([two.code, two.err]).toEqual([2, expect.stringContaining("'harbour:', 'desk:'")]);
  });
});
