// A recording against today's code, against another recording, and as a test.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createRuntime, store } from 'floe';
import { compareTraces, givenText, recording, replayTrace, writeTest } from 'floe/trace';

/** The same store as it is, and as it may be tomorrow. */
const declare = (change: Partial<{ step: number; keepsOrder: boolean; refusesTwice: boolean }> = {}) => {
  const { step = 1, keepsOrder = true, refusesTwice = true } = change;
  const visits = store('visits', { list: [] as { id: string; phase: number; due: Date }[], note: 'it\'s "quiet"' });
  const planned = visits.action('planned', (draft, id: string) => {
    if (refusesTwice && draft.list.some((visit) => visit.id === id)) throw new Error('twice');
    const visit = { id, phase: 0, due: new Date(Date.UTC(2031, 2, 2)) };
    if (keepsOrder) draft.list.push(visit);
    else draft.list.unshift(visit);
  });
  const movedOn = visits.action('movedOn', (draft, id: string) => {
    for (const visit of draft.list) if (visit.id === id) visit.phase += step;
  });
  return { visits, planned, movedOn };
};
function recorded() {
  const { visits, planned, movedOn } = declare();
  const runtime = createRuntime({ stores: [visits], trace: recording(), onProblem: () => undefined });
  for (const one of [planned('v1'), planned('v2'), movedOn('v1'), movedOn('v9')]) runtime.dispatch(one);
  expect(() => runtime.dispatch(planned('v1'))).toThrow();
  runtime.atomic(() => {
    runtime.dispatch(planned('v3'));
    runtime.dispatch(movedOn('v3'));
  });
  runtime.reset();
  runtime.dispatch(planned('v4'));
  return { runtime, file: runtime.trace.export() };
}

describe('replayTrace', () => {
  const { file } = recorded();

  test.each([
    ['another number', { step: 2 }, { step: { seq: 3 }, pointer: '/visits/list/0/phase', expected: 1, found: 2 }],
    ['another order', { keepsOrder: false }, { step: { seq: 2 }, pointer: '/visits/list/0' }],
    [
      'what failed does something',
      { refusesTwice: false },
      {
        step: { seq: 5 },
        pointer: '/visits/list/2',
        found: { id: 'v1' },
        reason: expect.stringContaining('twice') as unknown,
      },
    ],
  ])('%s: the first step that differs, and where', (_, change, divergence) => {
    expect(replayTrace(file, { stores: [declare(change).visits] }).divergence).toMatchObject(divergence);
  });

  test('replay reports the first place of a store that the code no longer has', () => {
    const { visits, planned } = declare();
    const notes = store('notes', { count: 0 });
    notes.when(planned, (draft, _id) => void (draft.count += 1));
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    runtime.atomic(() => {
      runtime.dispatch(planned('v1'));
      runtime.add(notes);
      runtime.dispatch(planned('v2'));
    });
    const trace = runtime.trace.export();
    expect(replayTrace(trace, { stores: [visits, notes], invariants: 'refuse' }).divergence).toBeUndefined();
    expect(replayTrace(trace, { stores: [visits], invariants: 'refuse' }).divergence).toMatchObject({
      step: { seq: 3 },
      pointer: '/notes/count',
      expected: 1,
      found: 0,
    });
  });

  test('replay reports an action that no store handles any more', () => {
    const other = store('visits', {});
    expect(replayTrace(file, { stores: [other] }).divergence).toMatchObject({
      step: { seq: 1 },
      reason: expect.stringContaining("'visits.planned'") as unknown,
    });
  });

  test('replay runs the branch with a given number', () => {
    const { runtime } = recorded();
    runtime.trace.seek(2);
    runtime.dispatch({ ...declare().movedOn('v2') });
    const text = runtime.trace.export();
    const stores = [declare({ step: 3 }).visits];
    expect(replayTrace(text, { stores }).divergence!.step.seq).toBe(10);
    expect(replayTrace(text, { stores, branch: 0 }).divergence!.step.seq).toBe(3);
  });
});

describe('compareTraces', () => {
  test('compareTraces ignores times and reports the first step that differs', () => {
    const [a, b] = [recorded().file, recorded().file];
    expect(compareTraces(a, b)).toEqual({ same: 10, changes: [] });
    const { runtime } = recorded();
    runtime.trace.exclude(3);
    expect(compareTraces(a, runtime.trace.export())).toMatchObject({
      same: 3,
      parts: { why: 'event', a: { seq: 3 }, b: { seq: 3, excluded: true } },
    });
    const other = createRuntime({ stores: [declare({ step: 5 }).visits], trace: recording() });
    const { planned, movedOn } = declare();
    for (const one of [planned('v1'), planned('v2'), movedOn('v1')]) other.dispatch({ ...one });
    expect(compareTraces(a, other.trace.export())).toMatchObject({
      same: 3,
      parts: { why: 'changes', pointer: '/visits/list/0/phase' },
    });
    const short = a.split('\n').slice(0, 4).join('\n');
    expect(compareTraces(a, short)).toMatchObject({ same: 3, parts: { why: 'end', a: { seq: 3 } } });
  });
});

describe('what replay blames', () => {
  test('replay blames the action of a transaction that differs, and not its first action', () => {
    // Each alone.
    const { file } = recorded();
    const later = declare({ keepsOrder: false });
    expect(replayTrace(file, { stores: [later.visits] }).divergence!.step.seq).toBe(2);
    // In a transaction.
    const counter = (fails: boolean) => {
      const one = store('one', { n: 0 });
      const first = one.action('first', (draft) => void (draft.n = 1));
      const second = one.action('second', (draft) => {
        if (fails) throw new Error('the second');
        draft.n = 2;
      });
      return { one, first, second };
    };
    const { one, first, second } = counter(false);
    const whole = createRuntime({ stores: [one], trace: recording() });
    whole.atomic(() => [whole.dispatch(first()), whole.dispatch(second())]);
    const found = replayTrace(whole.trace.export(), { stores: [counter(true).one] }).divergence!;
    expect([found.step.action!.type, found.reason]).toEqual([
      'one.second',
      expect.stringContaining('the second') as unknown as string,
    ]);
  });

  test('replay blames an action that a new store handles', () => {
    const { visits, planned } = declare();
    const added = store('added', { n: 0 });
    const idle = store('idle', { n: 0 });
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    runtime.dispatch(planned('v1'));
    added.when(planned, (draft) => void (draft.n = 1));
    const file = runtime.trace.export();
    expect(replayTrace(file, { stores: [visits, idle] }).divergence).toBeUndefined();
    expect(replayTrace(file, { stores: [visits, idle, added] }).divergence).toMatchObject({
      step: { seq: 1 },
      pointer: '/added',
      found: { n: 1 },
      reason: expect.stringContaining("'added'") as unknown as string,
    });
  });

  test('replay refuses a branch that the trace does not have', () => {
    const { file } = recorded();
    expect(() => replayTrace(file, { stores: [declare().visits], branch: 99 })).toThrow(
      expect.objectContaining({ code: 'FLOE_NO_SUCH_BRANCH' }),
    );
    const { visits, planned } = declare();
    const runtime = createRuntime({ stores: [visits], trace: recording({ limit: 2 }), onProblem: () => undefined });
    runtime.atomic(() => [1, 2, 3, 4].map((n) => runtime.dispatch(planned(`v${n}`))));
    for (let n = 5; n < 9; n++) runtime.dispatch(planned(`v${n}`));
    runtime.trace.import(file);
    const [together] = runtime.trace.steps.filter(({ group }) => group !== undefined);
    expect(() => runtime.trace.exclude(together.seq)).not.toThrow();
  });
});

describe('writeTest', () => {
  // Inside the repository, so that the test finds Floe and Jest as a user's does.
  let folder: string;
  beforeAll(() => {
    mkdirSync('reports', { recursive: true });
    folder = mkdtempSync(join(process.cwd(), 'reports', 'written-'));
    writeFileSync(
      join(folder, 'model.js'),
      `import { store } from 'floe';
const visits = store('visits', { list: [], note: "it's \\"quiet\\"" });
visits.action('planned', (draft, id) => {
  if (draft.list.some((visit) => visit.id === id)) throw new Error('twice');
  draft.list.push({ id, phase: 0, due: new Date(Date.UTC(2031, 2, 2)) });
});
visits.action('movedOn', (draft, id) => {
  for (const visit of draft.list) if (visit.id === id) visit.phase += Number(process.env.STEP ?? 1);
});
export const stores = [visits];
`,
    );
    writeFileSync(join(folder, 'package.json'), '{ "type": "module" }');
  });
  afterAll(() => rmSync(folder, { recursive: true }));

  const jest = (name: string, env = {}) =>
    spawnSync(
      process.execPath,
      [
        '--experimental-vm-modules',
        '--no-warnings',
        'node_modules/jest/bin/jest.js',
        '--rootDir',
        folder,
        '-c',
        '{"transform":{}}',
        '--runTestsByPath',
        join(folder, name),
      ],
      { encoding: 'utf8', env: { ...process.env, ...env } },
    );

  test('a written test has a given, a when and a then', () => {
    const source = writeTest(recorded().file, { from: 3, to: 7, model: './model.js', source: 'shift.jsonl' });
    expect(source).toBe(`// Written by floe from shift.jsonl: steps 3 to 7.
import { expect, test } from '@jest/globals';
import { changedPlaces, testRuntime, valueAt } from 'floe/testing';
import { stores } from './model.js';

test('visits.movedOn, visits.planned', () => {
  // Given
  const given = {
    visits: {
      list: [
        { id: 'v1', phase: 0, due: new Date('2031-03-02T00:00:00.000Z') },
        { id: 'v2', phase: 0, due: new Date('2031-03-02T00:00:00.000Z') },
      ],
      note: 'it\\'s "quiet"',
    },
  };
  const runtime = testRuntime({ stores, still: true, initial: given });

  // When
  runtime.dispatch({ type: 'visits.movedOn', payload: 'v1' });
  runtime.dispatch({ type: 'visits.movedOn', payload: 'v9' }); // It changed nothing.
  expect(() => runtime.dispatch({ type: 'visits.planned', payload: 'v1' })).toThrow('The change of \\'visits\\' for \\'visits.planned\\' threw: twice. No store was touched.');
  runtime.atomic(() => {
    runtime.dispatch({ type: 'visits.planned', payload: 'v3' });
    runtime.dispatch({ type: 'visits.movedOn', payload: 'v3' });
  });

  // Then
  expect(valueAt(runtime, '/visits/list')).toEqual([
    { id: 'v1', phase: 1, due: new Date('2031-03-02T00:00:00.000Z') },
    { id: 'v2', phase: 0, due: new Date('2031-03-02T00:00:00.000Z') },
    { id: 'v3', phase: 1, due: new Date('2031-03-02T00:00:00.000Z') },
  ]);
  expect(changedPlaces(given, runtime.snapshot())).toEqual(['/visits/list']);
});
`);
  });

  test('a written test passes, and fails when the code does something else', () => {
    const { file } = recorded();
    writeFileSync(join(folder, 'whole.test.js'), writeTest(file, { model: './model.js' }));
    writeFileSync(
      join(folder, 'part.test.js'),
      writeTest(file, { from: 3, to: 6, model: './model.js', given: 'part.given.json' }),
    );
    writeFileSync(join(folder, 'part.given.json'), givenText(file, { from: 3, to: 6 }));
    for (const name of ['whole.test.js', 'part.test.js']) {
      const { status, stderr } = jest(name);
      expect([name, status, stderr]).toEqual([name, 0, expect.stringContaining('1 passed')]);
    }
    const changed = jest('part.test.js', { STEP: '2' });
    expect(changed.status).toBe(1);
    expect(changed.stderr).toContain('1 failed');
  });

  test('it gives the stores that the steps are about, and lets others join when they did', () => {
    const { visits, planned } = declare();
    const watch = store('watch', { pending: 0 }).invariant('none', ({ pending }) => pending === 0);
    watch.when(planned, (draft) => {
      draft.pending++;
    });
    const note = watch.action('noted', (draft) => {
      draft.pending = 0;
    });
    const crew = store('crew', { name: 'Corran' });
    const runtime = createRuntime({ stores: [visits, crew], trace: recording() });
    runtime.dispatch(planned('v1'));
    runtime.dispatch(note());
    const source = writeTest(runtime.trace.export(), { model: './model.js', stores: [visits, watch, crew] });
    expect(source).not.toContain('crew');
    expect(source).toContain("stores: stores.filter(({ name }) => name !== 'watch'), still: true, initial: given");
    expect(source).toContain("expect(valueAt(runtime, '/watch')).toEqual({ pending: 0 });");
    // Without the code nothing says which stores handle an action.
    expect(givenText(runtime.trace.export(), {})).toContain('crew');
  });

  test('an action of a store with redacted places is dispatched where it does the same without them', () => {
    const session = store('session', { tries: 0, officer: '', token: null as string | null });
    const tried = session.action('tried', (draft) => void (draft.tries += draft.token?.startsWith('tide') ? 10 : 1));
    const named = session.action('named', (draft, officer: string) => void (draft.officer = officer));
    const signedIn = session.action('signedIn', (draft, token: string | null) => void (draft.token = token));
    const runtime = createRuntime({ stores: [session], trace: recording({ redact: { state: ['/session/token'] } }) });
    for (const one of [signedIn('tide-7f3a9c21'), named('Corran'), tried(), signedIn(null)]) runtime.dispatch(one);
    const file = runtime.trace.export();
    const source = writeTest(file, { model: './model.js', stores: [session] });
    expect(source.match(/runtime\.dispatch\(.*/g)).toEqual([
      "runtime.dispatch({ type: 'session.named', payload: 'Corran' });",
    ]);
    expect(source.match(/Step .*/g)).toEqual([3, 4].map((seq) => expect.stringMatching(`Step ${seq}, session`)));
    expect(source).not.toContain('7f3a9c21');
    expect(() => writeTest(file, { model: './model.js' })).toThrow(
      expect.objectContaining({ code: 'FLOE_NOTHING_TO_TEST' }),
    );
  });

  test.each([
    [{ from: 99 }, 'FLOE_NO_SUCH_STEP'],
    [{ from: 0, to: 0 }, 'FLOE_NOTHING_TO_TEST'],
    [{ from: 5, to: 3 }, 'FLOE_NOTHING_TO_TEST'],
  ])('%j: %s', (range, code) => {
    expect(() => writeTest(recorded().file, { ...range, model: './model.js' })).toThrow(
      expect.objectContaining({ code }),
    );
  });
});
