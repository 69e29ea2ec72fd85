// What is true at every moment: what came since, who caused what, what is equal in the end, what runs, and what fits.
import { expect, test } from '@jest/globals';
import { createRuntime, selector, store, task, type AnyAction } from 'floe';
import { location, oneOf } from 'floe/location';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { until } from '../support/eventually.js';
import { openPort, settle, toFile, toRuntime } from './port.js';

const act = (port: ReturnType<typeof openPort>, name: string, does: () => void = () => {}, typing?: number) => {
  const how =
    typing === undefined
      ? ({ kind: 'click', role: 'button' } as const)
      : ({ kind: 'input', role: 'field', typing } as const);
  const end = port.runtime.trace.noteInteraction({ name, ...how });
  does();
  return end;
};

test('what came since a click is counted, with what failed of it', async () => {
  const port = openPort();
  const { runtime, click, noted, failing } = port;
  const { ask } = toRuntime(runtime);
  click('Note', () => runtime.dispatch(noted('berthed')));
  for (let i = 0; i < 5000; i++) runtime.dispatch(noted('by code'));
  expect(() => runtime.dispatch(failing())).toThrow('the ink is dry');
  const moment = (await ask('moment', {}))!;
  expect(moment.sentence).toBe('Your click on “Note” dispatched log.noted');
  expect(moment.newer).toEqual({ moments: 5001, failed: 1, failedSeq: runtime.trace.steps.at(-1)!.seq, byUser: false });
  const last = (await ask('moment', { number: moment.number + 5001 }))!;
  expect([last.outcome, last.newer.moments]).toEqual(['failed', 0]);
  // Of moments that are folded away nothing can be shown.
  const few = openPort({ limit: 40 });
  const folded = toRuntime(few.runtime);
  for (let i = 0; i < 200; i++) {
    few.runtime.dispatch(few.noted(`${i}`));
    if (i % 20 === 0) await folded.ask('status', {});
  }
  const { firstMoment } = await folded.ask('status', {});
  expect(await folded.ask('moment', { number: firstMoment })).toMatchObject({ first: few.runtime.trace.steps[0].seq });
  expect(firstMoment).toBeGreaterThan(100);
});

test('the typing in a field is one moment, which ends with another one; where the page changed, no action was to be expected', async () => {
  const port = openPort();
  const { runtime, keyed } = port;
  const { ask } = toRuntime(runtime);
  const { moments: before } = await ask('status', {});
  for (const text of ['B', 'Be', 'Bell']) act(port, 'Note', () => runtime.dispatch(keyed(text)), 1)();
  act(port, 'Note', undefined, 1)();
  const typed = (await ask('moment', {}))!;
  expect([typed.sentence, typed.steps, typed.number]).toEqual(['Your input in “Note” dispatched log.keyed', 3, before]);
  // The field was left in between.
  act(port, 'Note', () => runtime.dispatch(keyed('Bells')), 2)();
  expect(await ask('moment', {})).toMatchObject({ number: before + 1, steps: 1 });
  act(port, 'New visit')({ changedPage: true });
  const opened = (await ask('moment', {}))!;
  expect([opened.sentence, opened.expected]).toEqual([
    'Your click on “New visit” changed the page, and dispatched nothing',
    undefined,
  ]);
  act(port, 'Save')();
  expect(await ask('moment', {})).toMatchObject({
    sentence: 'Your click on “Save” dispatched nothing',
    expected: true,
  });
  // A step that is left out, or a kind that is muted, begins the count again.
  await ask('mute', { name: 'log.shut', muted: true });
  expect((await ask('status', {})).moments).toBe(before + 4);
  const file = await toFile(runtime.trace.export());
  expect((await file.ask('moment', { number: before + 2 }))!.sentence).toBe(
    'The click on “New visit” changed the page, and dispatched nothing',
  );
});

test('what a loop of a task does with a click belongs to that click', async () => {
  const port = openPort();
  const { runtime, click, keyed, noted, log } = port;
  const follow = task(log, 'follow', async ({ each, sleep, dispatch }) => {
    for await (const { payload } of each(keyed)) {
      await sleep(1);
      dispatch(noted(payload));
    }
  });
  const { ask } = toRuntime(runtime);
  void runtime.run(follow());
  click('N1', () => runtime.dispatch(keyed('N1')));
  click('N2', () => runtime.dispatch(keyed('N2')));
  await until(() => runtime.read(log).notes.length === 2);
  await settle();
  const newest = (await ask('moment', {}))!;
  const before = (await ask('moment', { number: newest.number - 1 }))!;
  expect([before, newest].map(({ changes }) => changes.map(({ after }) => after?.text))).toEqual([
    ['N1', '+ “N1”'],
    ['N2', '+ “N2”'],
  ]);
});

test('derived values tell what is different in them, and those that came to the same are not listed', async () => {
  const port = openPort();
  const { runtime, click, assignBerth, answers, visit } = port;
  const shown = selector('visitsShown', (read) =>
    [...read(port.port).visit.values()].filter(({ berth }) => berth !== ''),
  );
  const alongside = selector('atN1', (read) =>
    [...read(port.port).visit.values()].filter(({ berth }) => berth === 'N1').map(({ id }) => id),
  );
  runtime.watch(shown, () => undefined);
  runtime.watch(alongside, () => undefined);
  const { ask } = toRuntime(runtime);
  const derived = async (): Promise<unknown> =>
    (await ask('moment', {}))!.changes.filter((one) => one.derived).map(({ label, difference }) => [label, difference]);
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')));
  expect(await derived()).toEqual([['visitsShown', 'v1, berth W2 → N2; order unchanged']]);
  answers[0].confirm();
  click('Assign', () => void runtime.run(assignBerth('v2', 'N2')).catch(() => undefined));
  expect(await derived()).toEqual([
    ['visitsShown', 'v2, berth N1 → N2; order unchanged'],
    ['atN1', '1 → 0 items, without v2'],
  ]);
  answers[1].refuse('N2 is dredged');
  await settle();
  expect(await derived()).toEqual([]);
  click('Remove', () => runtime.dispatch(port.port.remove(visit, 'v2')));
  expect(await derived()).toEqual([
    ['visitsShown', '2 → 1 items, without v2'],
    ['atN1', '1 → 0 items, without v2'],
  ]);
  await ask('exclude', { seq: runtime.trace.steps.at(-1)!.seq });
  expect(await derived()).toEqual([]);
});

test('a selector that only reads a slow one has little time of its own', async () => {
  const { runtime, log, noted } = openPort();
  const slow = log.selector('slow', ({ notes }) => {
    for (const until = performance.now() + 20; performance.now() < until;);
    return notes.length;
  });
  const reading = selector('reading', (read) => read(slow) + 1);
  const { ask } = toRuntime(runtime);
  runtime.watch(reading, () => undefined);
  runtime.dispatch(noted('x'));
  const { groups } = await ask('derived', { sort: 'took' });
  const [first, second] = groups.filter(({ name }) => name === 'log.slow' || name === 'reading');
  expect([first.name, second.name]).toEqual(['log.slow', 'reading']);
  expect(first.own).toBeGreaterThanOrEqual(20);
  expect(second.took).toBeGreaterThanOrEqual(20);
  expect(second.own).toBeLessThan(second.took / 2);
});

test('tasks show what runs now, what it waits for and who asked; a run can be cancelled, and run again', async () => {
  const { runtime, click, assignBerth, answers } = openPort();
  const { ask } = toRuntime(runtime);
  click('Assign', () => void runtime.run(assignBerth('v2', 'N2')).catch(() => undefined));
  const { runs, tasks } = await ask('tasks', { count: 10 });
  expect(tasks).toEqual([{ name: 'port.assignBerth', runs: 1, underWay: 1, failed: 0, longest: null }]);
  expect(runs).toMatchObject([
    { label: 'assign a berth', arguments: 'v2, N2', phase: 'running', waitsFor: ['office'], tries: 1, took: null },
  ]);
  expect(runs[0].because).toMatch(/^Your click on “Assign”/);
  await ask('cancel', { run: runs[0].id });
  await settle();
  const cancelled = (await ask('tasks', { count: 10 })).runs[0];
  expect(cancelled).toMatchObject({ phase: 'cancelled', reason: 'cancelled in the inspector' });
  await ask('runAgain', { seq: cancelled.seq });
  answers[1].refuse('N2 is dredged');
  await settle();
  const again = (await ask('moment', {}))!;
  expect(again.sentence).toMatch(/^You, in this inspector, gave Stout Idris berth N2; the office refused it/);
  expect((await ask('tasks', { count: 10, task: 'port.assignBerth' })).runs.map(({ phase }) => phase)).toEqual([
    'failed',
    'cancelled',
  ]);
  await expect(ask('runAgain', { seq: runtime.trace.steps[0].seq })).rejects.toMatchObject({
    code: 'FLOE_UNKNOWN_TASK',
  });
});

test('a run that ended in a branch that was left is not under way', async () => {
  const { runtime, click, assignBerth, answers, noted } = openPort();
  const { ask } = toRuntime(runtime);
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')));
  const during = runtime.trace.cursor;
  answers[0].confirm();
  await settle();
  runtime.trace.seek(during);
  runtime.dispatch(noted('another way'));
  const left = (await ask('moment', { seq: during }))!;
  expect(left.isGrowing).toBe(false);
  expect(left.causes.find(({ kind }) => kind === 'run')).toMatchObject({
    outcome: 'cancelled',
    detail: 'has no end in this branch',
  });
  expect((await ask('tasks', { count: 5 })).runs[0].phase).toBe('left');
});

test('a hit is the place that holds what was looked for', async () => {
  const { runtime, port, visit } = openPort();
  runtime.dispatch(port.ingest(visit, [{ id: 'v9', vessel: 'Tern', berth: 'N1' }]));
  const { ask } = toRuntime(runtime);
  const hit = async (text: string): Promise<unknown> => (await ask('find', { text, count: 1 })).found[0]?.hit;
  expect(await hit('tern')).toBe('/port/visit/v9/vessel');
  expect(await hit('v9')).toBe('/port/visit/v9/id');
  expect(await hit('ingest')).toBeUndefined();
});

test('a session is known by its application, and takes the place of the history only as far as it fits', async () => {
  const tides = store('tides', { height: 3 });
  const log = store('log', { lines: 1 });
  const raised = tides.action('raised', (draft) => {
    draft.height++;
  });
  const other = createRuntime({
    stores: [tides, log],
    trace: recording({ application: { name: 'Tides', version: '1.2' } }),
  });
  other.dispatch(raised());
  const text = other.trace.export();
  const file = await toFile(text);
  expect((await file.ask('status', {})).application).toEqual({ name: 'Tides', version: '1.2' });

  const { runtime } = openPort({ application: { name: 'Skerrow Harbour' } });
  const { ask } = toRuntime(runtime);
  expect((await ask('status', {})).application).toEqual({ name: 'Skerrow Harbour' });
  const fits = await ask('fits', { text });
  expect(fits).toMatchObject({ application: { name: 'Tides' }, steps: 2 });
  expect(fits.misfits).toEqual([
    { store: 'tides', why: 'this application has no such store' },
    { store: 'log', why: "'notes' is missing there" },
  ]);
  const before = runtime.trace.export();
  await expect(ask('replace', { text, leaveOut: ['tides'] })).rejects.toMatchObject({ code: 'FLOE_SESSION_MISFIT' });
  expect(runtime.trace.export().split('\\n').slice(1)).toEqual(before.split('\\n').slice(1));
  await ask('replace', { text, leaveOut: ['tides', 'log'] });
  // The stores that are not in the file join.
  expect(runtime.trace.steps.map(({ fact, action }) => fact ?? action?.type)).toEqual([
    'initial',
    'tides.raised',
    'joined',
  ]);
  expect(Object.keys(runtime.snapshot())).toEqual(expect.arrayContaining(['port', 'log']));
  expect((await ask('status', {})).application).toEqual({ name: 'Tides', version: '1.2' });
});

test('ready-made actions have sentences of their own, without a title in the model', async () => {
  const { runtime, port, visit } = openPort();
  const address = location('address', {
    paths: { board: '/', visit: '/visits/:id' },
    query: { filter: oneOf('all', 'late') },
  });
  runtime.add(address);
  const { ask } = toRuntime(runtime);
  const sentence = async (action: AnyAction): Promise<unknown> => {
    runtime.dispatch(action);
    return (await ask('moment', {}))!.sentence;
  };
  const row = { id: 'v7', vessel: 'Tern', berth: 'N1' };
  expect([
    await sentence(port.put(visit, row)),
    await sentence(port.merge(visit, 'v7', { berth: 'N2', vessel: 'Ternlet' })),
    await sentence(port.remove(visit, ['v1', 'v2', 'v7'])),
    await sentence(port.clear(visit)),
    await sentence(address.went({ at: 'visit', params: { id: 'v7' } })),
    await sentence(address.queryChanged({ filter: 'late' })),
  ]).toEqual([
    'The application put visit v7',
    'The application changed berth and vessel of visit v7',
    'The application removed 3 rows of visit',
    'The application dispatched port.clear, which changed nothing',
    'The application went to visit v7',
    'The application changed filter in the address',
  ]);
});

test('branches are compared without what only actions changed that are not listed', async () => {
  const { runtime, noted, shut, ticked } = openPort();
  const { ask } = toRuntime(runtime);
  const before = runtime.trace.cursor;
  runtime.dispatch(noted('here'));
  runtime.dispatch(ticked());
  runtime.trace.seek(before);
  runtime.dispatch(shut());
  const { changes, unlisted } = await ask('compareBranches', { a: 1, b: 0 });
  expect([changes.map(({ label }) => label).sort(), unlisted]).toEqual([['log · notes', 'log · open'], 1]);
});

test('what is stored is listed, read again and forgotten; figures tell what costs most', async () => {
  const places = new Map<string, string>();
  const { runtime, noted, notesShown, assignBerth, answers } = openPort(
    {},
    { storage: memoryStorage(places, { writeAfter: 5000 }) },
  );
  const { ask } = toRuntime(runtime);
  runtime.watch(notesShown, () => undefined);
  runtime.dispatch(noted('fog'));
  expect((await ask('stored', {}))!.pending).toEqual(['log']);
  expect(await ask('flush', {})).toEqual({ done: true });
  const stored = (await ask('stored', {}))!;
  expect(stored.items).toMatchObject([{ store: 'log', kind: 'state', isPending: false, version: 1 }]);
  expect(stored.items[0].written).toEqual(expect.any(Number));
  expect((await ask('storedTexts', {})).text).toContain('fog');
  void runtime.run(assignBerth('v1', 'N2'));
  answers[0].confirm();
  await settle();
  const { rows, isObserved } = await ask('figures', {});
  const row = (kind: string, name: string): unknown => rows.find((one) => one.kind === kind && one.name === name);
  expect(isObserved).toBe(true);
  expect(row('action', 'log.noted')).toMatchObject({ count: 2 });
  expect(row('task', 'port.assignBerth')).toMatchObject({ count: 1 });
  expect(row('selector', 'log.shown')).toMatchObject({ count: 3 });
  expect(row('watcher', 'log.shown')).toMatchObject({ count: 2 });
  expect(row('stored', 'log')).toMatchObject({ characters: expect.any(Number) });
  expect(await ask('forget', { store: 'log' })).toEqual({ done: true });
  expect([...places.values()].join('')).not.toContain('fog');
  await expect(ask('forget', { store: 'logg' })).rejects.toMatchObject({ code: 'FLOE_NO_SUCH_STORE' });
  const { ask: bare } = toRuntime(openPort().runtime);
  expect(await bare('stored', {})).toBeNull();
  await expect(bare('flush', {})).rejects.toMatchObject({ code: 'FLOE_NOTHING_STORED' });
  await runtime.close();
});

test('a paused trace and a closed runtime are said', async () => {
  const { runtime } = openPort();
  const { ask } = toRuntime(runtime);
  runtime.trace.pause();
  expect(await ask('status', {})).toMatchObject({ isPaused: true, isClosed: false });
  runtime.trace.resume();
  await runtime.close();
  expect(await ask('status', {})).toMatchObject({ isPaused: false, isClosed: true });
});
