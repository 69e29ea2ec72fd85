// The commands that look into a model: floe graph, floe explore, floe normalize.
import { afterAll, describe, expect, test } from '@jest/globals';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { visitsOf } from '../../examples/harbour/office/data.js';
import { floe, floeInOneProcess } from '../support/command.js';

const model = join(process.cwd(), 'examples/harbour/dist/examples.js');
// Inside the project, so that a model in it finds floe.
const folder = mkdtempSync(join(process.cwd(), 'tests', 'cli', 'model-'));
afterAll(() => rmSync(folder, { recursive: true }));
const write = (name: string, text: string): string => {
  const file = join(folder, name);
  writeFileSync(file, text);
  return file;
};

/** A model without examples. */
const modelText = `import { store } from 'floe';
   const tide = store('tide', { level: 0 });
   export const raised = tide.action('raised', (draft, by) => { draft.level = Math.min(9, draft.level + by); });
   tide.invariant('at most nine', ({ level }) => level <= 9);
   export const stores = [tide];`;
const own = write('own.mjs', modelText);

/** One whose tasks may not run: nothing is asked of an office. */
const working = write(
  'working.mjs',
  `import { store, task } from 'floe';
   const tide = store('tide', { level: 0 });
   const raised = tide.action('raised', (draft) => { draft.level++; });
   tide.invariant('low', ({ level }) => level < 1);
   task(tide, 'begin', () => { process.stdout.write('a task ran'); }, { atStart: true });
   task(tide, 'handle', () => { process.stdout.write('a task ran'); }, { when: raised });
   export const [stores, examples] = [[tide], [raised()]];`,
);

test('the commands on a model run none of its tasks', async () => {
  const file = join(folder, 'way.jsonl');
  for (const args of [['graph'], ['explore', '--save', file]])
    expect((await floe([...args, '--model', working])).out).not.toContain('a task ran');
  expect((await floe(['steps', file])).out).not.toContain('begin');
});

describe('floe graph', () => {
  test('lists what each store handles, and what each selector reads', async () => {
    const { code, out, err } = await floeInOneProcess(['graph', '--model', model]);
    expect([code, err]).toEqual([0, expect.stringMatching(/^7 stores, \d+ actions, \d+ selectors, \d+ tasks\.$/m)]);
    expect(out).toMatch(/^log {2}kept between sessions\n {2}actions +noteWritten\n {2}handles +shiftEnded$/m);
    expect(out).toMatch(/^ {2}tasks +.*tellCancelled \(when port\.visitCancelled\)/m);
    expect(out).toMatch(/^ {2}visitsShown +reads visits\.filterShown, inOrder$/m);
    const graph = JSON.parse((await floeInOneProcess(['graph', '--model', model, '--json'])).out) as {
      stores: { name: string }[];
    };
    expect(graph.stores.map(({ name }) => name)).toContain('positions');
  });

  test('draws each edge between nodes that are drawn', async () => {
    const { out } = await floeInOneProcess(['graph', '--model', model, '--dot']);
    const nodes = [...out.matchAll(/^ {2}("[^"]*") \[shape/gm)].map(([, name]) => name);
    const edges = [...out.matchAll(/^ {2}("[^"]*") -> ("[^"]*")/gm)];
    expect(edges.length).toBeGreaterThan(40);
    for (const [, from, to] of edges) expect(nodes).toEqual(expect.arrayContaining([from, to]));
    expect(new Set(nodes).size).toBe(nodes.length);
  });
});

describe('floe explore', () => {
  test('shows the shortest way to a broken rule, and saves it as a trace', async () => {
    const file = join(folder, 'broken.jsonl');
    const { code, out, err } = await floeInOneProcess(['explore', '--model', model, '--steps', '4', '--save', file]);
    expect([code, err]).toEqual([1, expect.stringContaining(`floe inspect ${file}`)]);
    expect(out).toMatch(/^1 fault found in \d+ states, up to 4 steps from the beginning\.\nMore may lie/);
    expect(out).toMatch(/'port\.no two visits alongside one berth' does not hold/);
    expect(out).toMatch(
      / 1 {2}port\.ingest: took in 8 rows .*\n +2 .*\n +3 .*\n +4 {2}port\.movedOn: brought Brack Gull alongside/,
    );
    const steps = (await floeInOneProcess(['steps', file, '--json'])).out.trimEnd().split('\n');
    expect(steps).toHaveLength(5);
    // No task ran, and none runs in the test.
    const written = await floeInOneProcess(['write-test', file, '--model', './model.js']);
    expect(written.out).toContain('testRuntime({ stores, still: true })');
    expect((await floeInOneProcess(['replay', file, '--model', model])).code).toBe(0);
    expect((await floeInOneProcess(['replay', file, '--model', model, '--refuse'])).code).toBe(1);
  });

  test('tries the actions of a trace, and ends with 0 where every rule holds', async () => {
    const step = (seq: number, by: number): string =>
      `{"seq":${seq},"time":0,"kind":"action","action":{"type":"tide.raised","payload":${by}},"cause":{"by":"code"},"stores":["tide"],"changes":[],"undo":[],"took":0,"outcome":"unchanged","after":${seq - 1},"branch":0}`;
    const start =
      '{"floe":"trace","version":2,"written":"2031-03-02T06:00:00.000Z"}\n{"seq":0,"time":0,"kind":"fact","fact":"initial","cause":{"by":"runtime"},"stores":["tide"],"changes":[{"op":"add","path":"/tide","value":{"level":0}}],"undo":[{"op":"remove","path":"/tide"}],"took":0,"outcome":"applied","after":null,"branch":0}';
    const trace = write('tide.jsonl', [start, step(1, 2), step(2, 3), step(3, 2)].join('\n'));
    const { code, out } = await floeInOneProcess([
      'explore',
      '--model',
      own,
      '--trace',
      trace,
      '--steps',
      '9',
      '--json',
    ]);
    expect([code, JSON.parse(out)]).toEqual([
      0,
      expect.objectContaining({ states: 9, complete: true, broken: [], untried: [] }),
    ]);
    const none = await floeInOneProcess(['explore', '--model', own]);
    expect([none.code, none.err]).toEqual([2, expect.stringContaining('FLOE_NO_EXAMPLES')]);
  });

  test("leaves an application's own services and tasks alone where only actions are tried", async () => {
    const text = `import { need, store, task } from 'floe';
const office = need('office');
const tide = store('tide', { level: 0 });
const raised = tide.action('raised', (draft) => void (draft.level = 1));
export const tell = task(tide, 'tell', ({ use }) => use(office).tell(), { when: raised });
export const needs = [office.by({ tell: () => { console.log('TOLD'); } })];
export const tasks = [tell];
export const stores = [tide];
export const examples = [raised()];`;
    const { code, out } = await floe(['explore', '--model', write('services.mjs', text)]);
    expect([code, out]).toEqual([0, expect.not.stringContaining('TOLD')]);
  });

  test('refuses an example that is no action, and a count that is none', async () => {
    const wrong = write('wrong.mjs', `${modelText}\nexport const examples = [raised(1), raised];`);
    const found = await floeInOneProcess(['explore', '--model', wrong]);
    expect([found.code, found.err]).toEqual([2, expect.stringContaining("Item 1 of the list 'examples'")]);
    expect((await floeInOneProcess(['explore', '--model', wrong, '--steps', 'many'])).err).toContain('FLOE_BAD_OPTION');
  });
});

describe('floe explore where tasks run', () => {
  const dist = join(process.cwd(), 'examples/harbour/dist');

  test('finds the race that the demo had, and nothing in the demo as it is', async () => {
    const file = join(folder, 'race.jsonl');
    const race = ['explore', '--model', join(dist, 'race.js'), '--steps', '7', '--first', '--save', file];
    const { code, out } = await floeInOneProcess(race);
    expect([code, out]).toEqual([
      1,
      expect.stringMatching(
        /'the screen shows the berth that the office knows' does not hold when nothing is under way/,
      ),
    ]);
    expect(out).toMatch(
      / 3 {2}visits\.load.* starts; call 1, office\.visits.*\n +4 {2}port\.assignBerth.* starts; call 2/,
    );
    const steps = (await floeInOneProcess(['steps', file, '--json'])).out;
    expect(steps).toMatch(/visits\.load #1 begins/);
    const written = await floeInOneProcess(['write-test', file, '--model', './race.js']);
    const calls = written.out.match(/^ {2}await .*$/gm)!.filter((line) => !line.includes('advance(0)'));
    expect(calls).toEqual([
      '  await calls.outcome(1, 0);',
      '  await calls.outcome(2, 0);',
      '  await runtime.clock.advance(5000);',
      '  await runtime.close();',
    ]);
    const mended = await floeInOneProcess(['explore', '--model', join(dist, 'orders.js'), '--steps', '6']);
    expect([mended.code, mended.out]).toEqual([0, expect.stringMatching(/^Every rule holds in \d+ states/)]);
  });

  test('says what a call without outcomes needs, and when a story does not repeat', async () => {
    const text = (work: string): string => `import { need, store, task } from 'floe';
const office = need('office');
export const tide = store('tide', { level: 0 });
const raised = tide.action('raised', (draft, by) => void (draft.level += by));
let outlives = 0;
const ask = task(tide, 'ask', async ({ dispatch, use }) => { ${work} });
export const needs = [office.outcomes({ level: [1] })];
export const examples = [ask()];`;
    for (const [work, said] of [
      ['await use(office).levels();', "FLOE_NO_OUTCOMES: 'office.levels' is called by the task 'tide.ask'"],
      ['dispatch(raised(outlives++));', 'FLOE_NOT_REPEATABLE'],
    ] as const) {
      const file = write(`needs-${said.slice(5, 12)}.mjs`, text(work));
      const { code, err } = await floeInOneProcess(['explore', '--model', file, '--steps', '3']);
      expect([code, err]).toEqual([2, expect.stringContaining(said)]);
    }
  });
});

describe('floe smallest', () => {
  test('leaves out what the failure does not need, saves it, and writes a test', async () => {
    const file = join(folder, 'way.jsonl');
    await floeInOneProcess(['explore', '--model', model, '--steps', '4', '--save', file]);
    const [save, test] = [join(folder, 'small.jsonl'), join(folder, 'small.test.js')];
    const rule = 'port.no two visits alongside one berth';
    const more = ['--model', model, '--fails', rule];
    const { code, out } = await floeInOneProcess(['smallest', file, ...more, '--save', save, '--test', test]);
    expect([code, out]).toEqual([0, expect.stringMatching(/^4 actions in 5 steps of 5 are what the failure needs/)]);
    expect((await floeInOneProcess(['replay', save, '--model', model])).code).toBe(0);
    const source = readFileSync(test, 'utf8');
    expect(source).toContain('It fails until that is mended.');
    expect(source).toContain("from '../../../examples/harbour/dist/examples.js'");
    for (const [wrong, said] of [
      [[], 'no failure is named'],
      [['--fails', rule, '--differs'], 'more than one is named'],
      [['--fails', 'port.no'], `The rules of the model: 'port.a departed visit`],
      [['--value', 'port=1'], '--value takes a JSON Pointer'],
      [['--error', 'FLOOD'], 'FLOE_NOTHING_FAILS'],
    ] as const) {
      const found = await floeInOneProcess(['smallest', file, '--model', model, ...wrong]);
      expect([found.code, found.err]).toEqual([2, expect.stringContaining(said)]);
    }
  });
});

describe('floe normalize', () => {
  const visits = visitsOf('2031-03-02', 1);
  const file = write('day.json', JSON.stringify({ data: visits }));
  const normalize = (...more: string[]) => floeInOneProcess(['normalize', file, '--model', model, ...more]);

  test('lists the tables that a response becomes', async () => {
    const { code, out, err } = await normalize('--type', 'visit', '--path', '/data');
    expect([code, err]).toEqual([0, expect.stringMatching(/in tables, where each stands once, \d+ kB/)]);
    expect(out).toMatch(new RegExp(`^visit +${visits.length} +v0201, v0202, v0203 and ${visits.length - 3} more`, 'm'));
    const { rows } = JSON.parse((await normalize('--type', 'visit', '--path', '/data', '--json')).out) as {
      rows: Record<string, { id: string; vessel: unknown }[]>;
    };
    expect(rows.visit.map(({ id, vessel }) => [id, vessel])).toEqual(visits.map(({ id, vessel }) => [id, vessel.hull]));
  });

  test('says where a record cannot be taken in, or lists it and takes in the others', async () => {
    const text = JSON.stringify([visits[0], { ...visits[1], id: null }]);
    const given = ['normalize', '-', '--model', model, '--type', 'visit'];
    const refused = await floe(given, text);
    expect([refused.code, refused.err]).toEqual([2, expect.stringMatching(/^FLOE_NO_KEY: The value at \/1 /)]);
    const skipped = await floe([...given, '--skip'], text);
    expect([skipped.code, skipped.out]).toEqual([1, expect.stringMatching(/^FLOE_NO_KEY \/1: /m)]);
    expect(skipped.out).toMatch(/^visit +1 +v0201 /m);
  });

  test.each([
    ['a type that there is not', ['--type', 'vist', '--path', '/data'], "Did you mean 'visit'"],
    ['a place where nothing is', ['--type', 'visit', '--path', '/rows'], 'FLOE_NO_VALUE'],
    ['a store that there is not', ['--type', 'visit', '--store', 'harbour'], "no store of tables 'harbour'"],
  ])('refuses %s', async (_name, more, text) => {
    const { code, out, err } = await normalize(...more);
    expect([code, out, err]).toEqual([2, '', expect.stringContaining(text)]);
  });

  test('refuses a file that is no JSON', async () => {
    const { code, err } = await floe(['normalize', '-', '--model', model, '--type', 'visit'], 'visits');
    expect([code, err]).toEqual([2, expect.stringContaining("'standard input' is not JSON")]);
  });
});

describe('a model as a bundler takes it', () => {
  const project = join(folder, 'project');
  mkdirSync(join(project, 'src/model'), { recursive: true });
  const put = (name: string, text: string): void => writeFileSync(join(project, name), text);
  put('package.json', '{"type":"module"}');
  put('tsconfig.json', '{"compilerOptions":{"jsx":"react-jsx","paths":{"@model/*":["./src/model/*"]}}}');
  put(
    'src/model/index.ts',
    `import { log } from '@model/log';
     import { level } from './tide.json';
     import { unit } from './unit.cjs';
     import { tide } from './tide';
     export { log, tide };
     export const about: string = \`\${level} \${unit}\`;`,
  );
  put('src/model/tide.ts', `import { store } from 'floe';\nexport const tide = store('tide', { level: 0 as number });`);
  put(
    'src/model/log.tsx',
    `import { store } from 'floe';\nexport const log = store('log', { note: '' });\nexport const Log = () => <p />;`,
  );
  put('src/model/tide.json', '{"level":3}');
  put('src/model/unit.cjs', "module.exports = { unit: 'm' };");

  const storesOf = (out: string): string[] =>
    (JSON.parse(out) as { stores: { name: string }[] }).stores.map(({ name }) => name);

  test('is found by itself, or where package.json says', async () => {
    const own = await floe(['graph', '--json'], '', project);
    expect([own.code, storesOf(own.out), own.err]).toEqual([0, ['log', 'tide'], 'The model is src/model/index.ts.\n']);
    put('package.json', '{"type":"module","floe":{"model":"src/model/tide.ts"}}');
    const named = await floe(['graph', '--json'], '', join(project, 'src'));
    expect([storesOf(named.out), named.err]).toEqual([['tide'], 'The model is model/tide.ts.\n']);
    put('package.json', '{"type":"module"}');
    const none = join(project, 'none');
    mkdirSync(none);
    writeFileSync(join(none, 'package.json'), '{}');
    expect(await floe(['graph'], '', none)).toMatchObject({ code: 2, err: expect.stringContaining('FLOE_NO_MODEL') });
  });

  test.each([
    ['keeps a timer and writes to the console', 'console.log("hello"); setInterval(() => 0, 1000);', 0, 'hello'],
    ['ends the process', 'process.exit(0);', 2, 'FLOE_MODEL_ENDED'],
    ['ends the process, and catches that', 'try { process.exit(0) } catch {}', 2, 'FLOE_MODEL_ENDED'],
    ['never comes to its end', 'await new Promise(() => undefined);', 2, 'FLOE_MODEL_ENDED'],
    ['leaves a rejection', 'void Promise.reject(new Error("no"));', 2, 'FLOE_MODEL_ENDED'],
  ])('one that %s', async (_what, work, code, words) => {
    put('src/bad.ts', `import { store } from 'floe';\n${work}\nexport const tide = store('tide', { level: 0 });`);
    const found = await floe(['graph', '--json', '--model', 'src/bad.ts'], '', project);
    expect([found.code, found.err]).toEqual([code, expect.stringContaining(words)]);
    expect(code === 0 ? storesOf(found.out) : found.out).toEqual(code === 0 ? ['tide'] : '');
  });

  test('without rules explore says so; JSON may begin with a byte order mark', async () => {
    put(
      'src/tables.ts',
      "import { entity, rowOf, tables } from 'floe/entities';\nexport const port = tables('port', [entity('berth', rowOf<{ id: string }>(), { key: 'id' })]);\nexport const examples = [port.clear()];",
    );
    const { out } = await floe(['explore', '--model', 'src/tables.ts'], '', project);
    expect(out).toContain('The model has no rules');
    const given = ['normalize', '-', '--model', 'src/tables.ts', '--type', 'berth', '--json'];
    expect(await floe(given, '\uFEFF{"id":"N1"}', project)).toMatchObject({ code: 0 });
  });
});

test.each([
  ["import { x } from './nowhere';", "'./nowhere' is imported by "],
  ["import { x } from 'no-such-package';", "the package 'no-such-package' is imported by "],
  ["import './board.css';", 'Node loads no .css'],
  ['const title = document.title;', "it uses 'document' while it is loaded"],
  ['module.exports = { stores: [] };', 'it is a CommonJS module'],
  ['export const one = 1;', 'it exports no store'],
])('a model that cannot be used says what stands in the way: %s', async (line, why) => {
  write('board.css', 'main {}');
  const { code, err } = await floe(['graph', '--model', write('unusable.js', line)]);
  expect([code, err]).toEqual([2, expect.stringMatching(/^FLOE_MODEL_UNUSABLE: /)]);
  expect(err).toContain(why);
});
