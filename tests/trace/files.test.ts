// Trace files: their schema, older versions, damage, and files that are written as things happen.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { readFileSync } from 'node:fs';
import { action, applyPatch, createRuntime, FloeError, store, task } from 'floe';
import { entity, rowOf, tableOf, tables } from 'floe/entities';
import { testRuntime } from 'floe/testing';
import { compareTraces, givenText, readTrace, recording, replayTrace, writeTest, type Step } from 'floe/trace';
import { longMode, runs } from '../support/runs.js';

const schema = JSON.parse(readFileSync('docs/schemas/trace-line.schema.json', 'utf8')) as object;
const fits = new Ajv2020({ strict: true, strictRequired: false, strictTypes: false }).compile(schema);

const visits = store('visits', { list: [] as string[], at: new Date(0), count: 0 });
const planned = visits.action('planned', (draft, id: string) => {
  if (draft.list.includes(id)) throw new Error('twice');
  draft.list.push(id);
});
const dated = visits.action('dated', (draft, date: Date) => {
  draft.at = date;
});
const asked = action('asked');
task(visits, 'answer', ({ dispatch }) => void dispatch(planned('answered')), { when: asked });
const berth = entity('berth', rowOf<{ id: string; quay: string }>(), { key: 'id' });
const port = tables('port', [berth]);

/** A trace with something of everything. */
function full() {
  const written: string[] = [];
  const runtime = testRuntime({ stores: [visits, port] });
  const made = createRuntime({
    stores: [visits, port],
    clock: runtime.clock,
    trace: recording({ lines: (line) => written.push(line), ignore: [dated] }),
    onProblem: () => undefined,
  });
  made.dispatch(planned('v1'));
  made.dispatch(port.put(berth, { id: 'N1', quay: 'North' }));
  made.dispatch(dated(new Date(86_400_000)));
  made.dispatch(dated(new Date(1)));
  expect(() => made.dispatch(planned('v1'))).toThrow('twice');
  made.dispatch(asked());
  made.atomic(() => made.dispatch(planned('v2')));
  made.trace.mark('the officer was told');
  made.trace.back();
  made.dispatch(planned('v3'));
  made.trace.nameBranch(1, 'without v2');
  made.trace.exclude(1, { withCaused: true });
  made.dispatch(planned('v9'));
  made.trace.mark('nothing came of it');
  made.reset();
  return { runtime: made, written };
}

describe('the schema', () => {
  test('the schema describes every line of a trace file', () => {
    const { runtime, written } = full();
    const folded = createRuntime({ stores: [visits], trace: recording({ limit: 1 }) });
    folded.dispatch(planned('v1'));
    const lines = [...runtime.trace.lines(), ...written, ...folded.trace.lines()];
    lines.push(...readFileSync('tests/fixtures/traces/version-1.jsonl', 'utf8').trimEnd().split('\n'));
    for (const line of lines) expect([fits(JSON.parse(line)), line, fits.errors]).toEqual([true, line, null]);
    expect(new Set(lines.map((line) => Object.keys(JSON.parse(line) as object)[0]))).toEqual(
      new Set(['floe', 'seq', 'checkpoint', 'branch']),
    );
  });

  test('the schema and the reader refuse the same lines', () => {
    const lines = [...full().runtime.trace.lines()];
    const members = Object.keys((schema as { $defs: { step: { properties: object } } }).$defs.step.properties);
    // What other lines say of these counts too.
    const linked = ['seq', 'after', 'branch', 'again'];
    const wrong = fc.oneof(
      fc.jsonValue({ maxDepth: 2 }),
      fc.constant(undefined),
      fc.constantFrom(
        { by: 'code' },
        { by: 'code', step: 'x' },
        { by: 'task', run: -1 },
        [{ op: 'add', path: '' }],
        'failed',
        'action',
        1,
        true,
      ),
    );
    fc.assert(
      fc.property(fc.nat(), fc.constantFrom(...members), wrong, (at, name, value) => {
        const i = 1 + (at % (lines.length - 1));
        const step = JSON.parse(lines[i]) as Record<string, unknown>;
        if (!('seq' in step)) return;
        if (value === undefined) delete step[name];
        else step[name] = value;
        const isRight = fits(step);
        const read = (): unknown => readTrace([...lines.slice(0, i), JSON.stringify(step), ...lines.slice(i + 1)]);
        if (isRight && linked.includes(name)) return;
        if (isRight) read();
        else
          expect(read).toThrow(
            expect.objectContaining({
              code: 'FLOE_TRACE_DAMAGED',
              message: expect.stringContaining(`line ${i + 1}:`) as unknown as string,
            }),
          );
      }),
      { numRuns: runs(1500) },
    );
  });
});

describe('a file that is written as things happen', () => {
  test('a file that is written during the session has one line for each sum of unlisted actions', () => {
    const written: string[] = [];
    const lines = (line: string): void => void written.push(line);
    const runtime = createRuntime({ stores: [visits], trace: recording({ lines, ignore: [dated] }) });
    for (let i = 1; i <= 100; i++) runtime.dispatch(dated(new Date(i)));
    runtime.dispatch(planned('v1'));
    runtime.dispatch(dated(new Date(500)));
    runtime.trace.nameBranch(0, 'the shift');
    runtime.dispatch(dated(new Date(501)));
    expect(() => runtime.trace.import(written)).toThrow(expect.objectContaining({ code: 'FLOE_TRACE_IS_WRITTEN' }));
    void runtime.close();
    const { steps } = readTrace(written);
    expect(steps.map(({ count, action: sent }) => count ?? sent?.type)).toEqual([
      undefined,
      100,
      'visits.planned',
      1,
      1,
    ]);
    expect(steps.reduce((states: unknown, step) => applyPatch(states, step.changes), {})).toEqual(
      runtime.trace.stateAt(4),
    );
  });

  test('a file that is written during the session has checkpoints', () => {
    const written: string[] = [];
    const runtime = createRuntime({ stores: [visits], trace: recording({ lines: (line) => written.push(line) }) });
    for (let i = 0; i < 2000; i++) runtime.dispatch(dated(new Date(i)));
    const lines = written.map((line) => JSON.parse(line) as { checkpoint?: number; states?: unknown });
    const checkpoints = lines.filter((line) => 'checkpoint' in line);
    expect(checkpoints.map(({ checkpoint }) => checkpoint)).toEqual([1000, 2000]);
    expect(checkpoints[0].states).toMatchObject({
      visits: { at: { 'floe:type': 'date', value: new Date(999).toISOString() } },
    });
    expect(readTrace(written).steps).toHaveLength(2001);
  });
});

test('a file of version 1 opens with its steps, branches and states', () => {
  const text = readFileSync('tests/fixtures/traces/version-1.jsonl', 'utf8');
  const runtime = createRuntime({ stores: [visits, port], trace: recording() });
  expect(runtime.trace.import(text)).toEqual({ steps: 12 });
  expect(runtime.snapshot()).toEqual({
    visits: { list: ['v1', 'v2', 'v3'], seen: new Set(['v1', 'v2', 'v3']), day: new Date('2031-03-02'), count: 3 },
    port: { berth: tableOf([['N1', { id: 'N1', quay: 'North' }]]) },
  });
  expect(runtime.trace.branches).toHaveLength(2);
  runtime.trace.switchTo(0);
  expect(runtime.snapshot().visits).toMatchObject({ list: ['v1', 'v2'], day: new Date('2031-03-03') });
});

test('runs and transactions after an import get numbers that the trace does not have', () => {
  const from = full().runtime.trace.export();
  const runtime = testRuntime({ stores: [visits, port] });
  runtime.trace.import(from);
  runtime.dispatch(asked());
  runtime.atomic(() => runtime.dispatch(planned('v8')));
  const of = (steps: readonly Step[], pick: (step: Step) => number | undefined) =>
    new Set(steps.map(pick).filter((one) => one !== undefined));
  const [old, fresh] = [
    readTrace(from).steps,
    runtime.trace.steps.filter(({ seq }) => seq > readTrace(from).steps.at(-1)!.seq),
  ];
  for (const pick of [({ run }: Step) => run?.id, ({ cause }: Step) => cause.run, ({ group }: Step) => group]) {
    expect(of(fresh, pick).size).toBeGreaterThan(0);
    for (const number of of(fresh, pick)) expect(of(old, pick)).not.toContain(number);
  }
});

describe('damage', () => {
  const text = full().runtime.trace.export();
  const whole = readTrace(text).steps;

  test('a file that is cut anywhere opens up to its last whole step, and reports the damage', () => {
    const header = text.indexOf('\n');
    for (let at = 0; at < text.length - 1; at += 7) {
      const cut = text.slice(0, at);
      if (at < header) {
        expect(() => readTrace(cut)).toThrow(expect.objectContaining({ code: 'FLOE_NOT_A_TRACE' }));
        continue;
      }
      const { steps, problem } = readTrace(cut);
      expect(steps).toEqual(whole.slice(0, steps.length));
      const isBetweenLines = cut.endsWith('\n') || text[at] === '\n';
      expect(problem?.code).toBe(isBetweenLines ? undefined : 'FLOE_TRACE_CUT_SHORT');
    }
  });

  test('the reader refuses a broken line with whole lines after it', () => {
    const lines = text.split('\n');
    const cut = [...lines.slice(0, 2), lines[2].slice(0, 20), ...lines.slice(3)];
    expect(() => readTrace(cut)).toThrow(
      expect.objectContaining({
        code: 'FLOE_TRACE_DAMAGED',
        message: expect.stringContaining('line 3:') as unknown as string,
      }),
    );
  });

  test('a file with changed bytes opens or is refused, and the runtime keeps its state', () => {
    const bytes = Buffer.from(text);
    const runtime = createRuntime({ stores: [visits, port], trace: recording(), onProblem: () => undefined });
    runtime.dispatch(planned('kept'));
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(fc.nat(bytes.length - 1), fc.oneof(fc.nat(255), fc.constantFrom(...Buffer.from('{}[]",:09eu\\n-')))),
          { minLength: 1, maxLength: 4 },
        ),
        (flips) => {
          const damaged = Buffer.from(bytes);
          for (const [at, byte] of flips) damaged[at] = byte;
          const before = [runtime.snapshot(), runtime.trace.export()];
          try {
            runtime.trace.import(damaged.toString());
            runtime.trace.import(before[1] as string);
          } catch (error) {
            expect(error).toBeInstanceOf(FloeError);
          }
          expect(runtime.snapshot()).toEqual(before[0]);
        },
      ),
      { numRuns: runs(1000) },
    );
  });

  test('a file with a brace at any place opens or is refused', () => {
    const bytes = Buffer.from(text);
    for (let at = 0; at < bytes.length; at += longMode ? 1 : 3) {
      const damaged = Buffer.from(bytes);
      damaged[at] = '{'.charCodeAt(0);
      const runtime = createRuntime({ stores: [visits, port], trace: recording(), onProblem: () => undefined });
      try {
        runtime.trace.import(damaged.toString());
      } catch (error) {
        expect(error).toBeInstanceOf(FloeError);
      }
    }
  });

  test.each([
    ['a pointer to a prototype', { changes: [{ op: 'add', path: '/__proto__/polluted', value: 1 }] }],
    ['an inherited part', { changes: [{ op: 'replace', path: '/visits/constructor/prototype/polluted', value: 1 }] }],
    [
      'an unknown encoding',
      { changes: [{ op: 'add', path: '/visits', value: { 'floe:type': 'function', value: 'x' } }] },
    ],
    ['a map of nothing', { changes: [{ op: 'add', path: '/visits', value: { 'floe:type': 'map', value: 3 } }] }],
    [
      'an integer of letters',
      { changes: [{ op: 'add', path: '/visits', value: { 'floe:type': 'bigint', value: 'x' } }] },
    ],
    ['a patch that does not apply', { changes: [{ op: 'remove', path: '/nowhere' }] }],
    ['a step after itself', { after: 1 }],
    ['a step after a later one', { after: 2 }],
    ['a huge number', { seq: 1e300 }],
  ])('%s: refused, and nothing is harmed', (_, change) => {
    const lines = text.trimEnd().split('\n');
    const step = JSON.stringify({ ...(JSON.parse(lines[2]) as Step), ...change });
    const runtime = createRuntime({ stores: [visits, port], trace: recording() });
    expect(() => runtime.trace.import([lines[0], lines[1], step].join('\n'))).toThrow(FloeError);
    expect(runtime.trace.steps).toHaveLength(1);
    expect(({} as { polluted?: unknown }).polluted).toBeUndefined();
  });

  test('a trace file keeps a key __proto__ as data', () => {
    const lines = text.trimEnd().split('\n');
    const step = JSON.parse(lines[2]) as Step;
    const changes = `[{"op":"add","path":"/visits/__proto__","value":{"polluted":1}}]`;
    const line = JSON.stringify({ ...step, changes: [], undo: [] }).replace('"changes":[]', `"changes":${changes}`);
    const { steps } = readTrace([lines[0], lines[1], line]);
    const state = steps.reduce((states: unknown, one) => applyPatch(states, one.changes), {}) as { visits: object };
    expect(Object.keys(state.visits)).toContain('__proto__');
    expect((state.visits as { polluted?: unknown }).polluted).toBeUndefined();
  });
});

test('a file that is written during any session opens', () => {
  const what = fc.constantFrom(
    ...(['plan', 'plan', 'date', 'date', 'fail', 'pause', 'resume', 'back', 'live'] as const),
    ...(['switch', 'name', 'mark', 'exclude', 'include', 'atomic', 'reset'] as const),
  );
  fc.assert(
    fc.property(fc.array(fc.tuple(what, fc.nat(9)), { maxLength: 40, size: 'max' }), (program) => {
      const written: string[] = [];
      const runtime = createRuntime({
        stores: [visits, port],
        trace: recording({ lines: (line) => written.push(line), ignore: [dated] }),
        onProblem: () => undefined,
      });
      const { trace } = runtime;
      let count = 0;
      for (const [one, n] of program) {
        const plan = (): unknown => runtime.dispatch(planned(`v${count++}`));
        const action = {
          plan,
          date: () => runtime.dispatch(dated(new Date(count++))),
          fail: () => runtime.dispatch(planned(runtime.read(visits).list[0] ?? 'v')),
          pause: () => trace.pause(),
          resume: () => trace.resume(),
          back: () => trace.back(),
          live: () => trace.live(),
          switch: () => trace.switchTo(n % trace.branches.length),
          name: () => trace.nameBranch(n % trace.branches.length, `called ${count}`),
          mark: () => trace.mark(`marked ${count}`),
          exclude: () => trace.exclude(trace.steps[n % trace.steps.length].seq),
          include: () => trace.include(trace.steps[n % trace.steps.length].seq),
          atomic: () => runtime.atomic(() => (plan(), runtime.dispatch(dated(new Date(count++))), plan())),
          reset: () => runtime.reset(visits),
        }[one];
        try {
          action();
        } catch (error) {
          expect(error).toBeInstanceOf(FloeError);
        }
        // It ends anywhere.
        expect(() => readTrace(written)).not.toThrow();
      }
      void runtime.close();
      const [file, whole] = [readTrace(written), readTrace(trace.export())];
      const bySeq = (steps: readonly Step[]): readonly Step[] => [...steps].sort((a, b) => a.seq - b.seq);
      expect(bySeq(file.steps)).toEqual(bySeq(whole.steps));
      expect([...file.names].sort((a, b) => a.id - b.id)).toEqual(whole.names);
      const other = createRuntime({ stores: [visits, port], trace: recording() });
      other.trace.import(written);
      expect(other.trace.branch).toBe(trace.branch);
      expect(other.snapshot()).toEqual(trace.stateAt(trace.steps.at(-1)!.seq));
    }),
    { numRuns: runs(150) },
  );
});

describe('what a file may hold', () => {
  const [header, ...steps] = full().runtime.trace.export().trimEnd().split('\n');
  const withPatch = (changes: unknown, undo: unknown = []): string =>
    [
      [header, ...steps.slice(0, 2)],
      [
        { changes, undo },
        { seq: 3, after: 2, changes: [], undo: [] },
      ].map((parts) => JSON.stringify({ ...(JSON.parse(steps[2]) as Step), ...parts })),
      '',
    ]
      .flat()
      .join('\n');
  const nested = (levels: number): unknown => {
    let value: unknown = 1;
    for (let i = 0; i < levels; i++) value = i % 2 ? [value] : { a: value };
    return value;
  };
  /** Everything that takes a file, and is asked for something that needs all of its patches. */
  const readers: readonly (readonly [string, (file: string) => unknown])[] = [
    ['import', (file) => createRuntime({ stores: [visits, port], trace: recording() }).trace.import(file)],
    ['compareTraces', (file) => compareTraces(file, file)],
    ['replayTrace', (file) => replayTrace(file, { stores: [visits, port] })],
    ['writeTest', (file) => writeTest(file, { model: './model.js' })],
    ['givenText', (file) => givenText(file, { from: 3 })],
  ];

  test('the reader skips a byte order mark before the header', () => {
    expect(readTrace(`\uFEFF${header}\n${steps[0]}\n`).steps).toHaveLength(1);
  });

  test.each(readers)('%s: a patch that does not apply is damage, and names its step', (_, read) => {
    for (const patch of [
      [{ op: 'remove', path: '/nowhere/at/all' }],
      [{ op: 'add', path: '/visits/list/99', value: 1 }],
      [{ op: 'replace', path: '/visits/count' }],
      [{ op: 'test', path: '/visits/count', value: 77 }],
      [{ op: 'add', path: '/visits/~2', value: 1 }],
      [{ op: 'remove', path: '' }],
      [{ op: 'replace', path: '', value: 5 }],
      [{ op: 'copy', from: '', path: '/visits' }],
      [{ op: 'move', from: '/visits', path: '' }],
    ])
      expect(() => read(withPatch(patch))).toThrow(expect.objectContaining({ code: 'FLOE_TRACE_DAMAGED' }));
  });

  test('the cursor stays where a step’s undo patch does not apply', () => {
    const runtime = createRuntime({ stores: [visits, port], trace: recording() });
    runtime.trace.import(withPatch([], [{ op: 'remove', path: '/nowhere' }]));
    const before = runtime.snapshot();
    expect(() => runtime.trace.seek(1)).toThrow(expect.objectContaining({ code: 'FLOE_TRACE_DAMAGED' }));
    expect([runtime.trace.cursor, runtime.snapshot()]).toEqual([3, before]);
  });

  test.each(readers)('%s: what is nested too deeply is refused, what is nested deeply is not', (_, read) => {
    const patch = (value: unknown) => [{ op: 'add', path: '/visits/deep', value }];
    for (const levels of [1100, 3000, 50_000]) {
      // Written by hand: no encoder gets so deep.
      const text = '{"a":['.repeat(levels / 2) + '1' + ']}'.repeat(levels / 2);
      const file = withPatch(patch('HERE')).replace('"HERE"', text);
      expect(() => read(file)).toThrow(expect.objectContaining({ code: 'FLOE_TRACE_DAMAGED' }));
    }
    expect(() => read(withPatch(patch(nested(900))))).not.toThrow();
    expect(() => read(withPatch(patch('[{'.repeat(4000))))).not.toThrow();
  });
});
