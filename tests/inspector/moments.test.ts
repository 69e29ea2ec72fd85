// A moment: the sentence that says what an interaction led to, the places that it changed, and the tree of its causes.
import { expect, test } from '@jest/globals';
import { task } from 'floe';
import { openPort, settle, toFile, toRuntime } from './port.js';

/** What the tree says, a line each, with its depth as dots. */
const tree = (causes: readonly { depth: number; label: string; outcome: string }[]): string[] =>
  causes.map(
    ({ depth, label, outcome }) => `${'.'.repeat(depth)}${label}${outcome === 'applied' ? '' : ` (${outcome})`}`,
  );

test('a confirmed click says what it led to, and holds the steps of its tasks', async () => {
  const { runtime, click, assignBerth, answers, ticked } = openPort();
  const { ask } = toRuntime(runtime);
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')));
  const growing = await ask('moment', {});
  expect(growing?.sentence).toBe('Your click on “Assign” gave Corran Bell berth N2');
  expect(growing?.isGrowing).toBe(true);
  runtime.dispatch(ticked());
  answers[0].confirm();
  await settle();
  const moment = (await ask('moment', {}))!;
  expect(moment.sentence).toMatch(
    /^Your click on “Assign” gave Corran Bell berth N2; the office confirmed it after \d/,
  );
  expect(moment.isGrowing).toBe(false);
  expect(tree(moment.causes)).toEqual([
    'click on “Assign”',
    '.assign a berth, run 1',
    '..gave Corran Bell berth N2',
    '..the office confirmed it',
    '..log.notify, run 2',
    '...log.noted',
    '.1 other step or update',
  ]);
  expect(moment.changes.map(({ label, before, after }) => [label, before?.text, after?.text])).toEqual([
    ['visit v1 · berth', 'W2', 'N2'],
    ['log · notes', '0 items', '+ “N2 is confirmed”'],
  ]);
  expect(moment.statuses).toBe(4);
  // What the page does meanwhile is no part of it, and does not take its place.
  expect(moment.between).toBe(1);
});

test('a refused click says why, and that nothing is left of it', async () => {
  const { runtime, click, assignBerth, answers } = openPort();
  const { ask } = toRuntime(runtime);
  click('Assign', () => void runtime.run(assignBerth('v2', 'N2')).catch(() => undefined));
  answers[0].refuse('N2 is dredged until noon');
  await settle();
  const moment = (await ask('moment', {}))!;
  expect(moment.sentence).toMatch(
    /^Your click on “Assign” gave Stout Idris berth N2; the office refused it after .*, and it was reverted: N2 is dredged until noon$/,
  );
  expect([moment.outcome, moment.reason]).toEqual(['reverted', 'N2 is dredged until noon']);
  const [place] = moment.changes;
  expect([
    place.label,
    place.before?.text,
    place.through.map(({ text }) => text),
    place.after?.text,
    place.restored,
  ]).toEqual(['visit v2 · berth', 'N1', ['N2'], 'N1', true]);
  expect(tree(moment.causes)).toEqual([
    'click on “Assign”',
    '.assign a berth, run 1 (failed)',
    '..gave Stout Idris berth N2',
    '..the office refused it (reverted)',
    '..N2 is dredged until noon (failed)',
  ]);
});

test('without titles a sentence is built from names', async () => {
  const { runtime, click, log, noted, shut, failing } = openPort();
  const tidy = task(log, 'tidy', ({ dispatch }) => {
    dispatch(noted('swept'));
    return Promise.resolve();
  });
  const { ask } = toRuntime(runtime);
  const sentence = async (): Promise<string> => (await ask('moment', {}))!.sentence;
  click('Shut', () => runtime.dispatch(shut()));
  expect(await sentence()).toBe('Your click on “Shut” dispatched log.shut');
  click('Shut', () => runtime.dispatch(shut()));
  expect(await sentence()).toBe('Your click on “Shut” dispatched log.shut, which changed nothing');
  click('Fail', () => expect(() => runtime.dispatch(failing())).toThrow());
  expect(await sentence()).toBe(
    "Your click on “Fail” dispatched log.failing, which failed: The change of 'log' for 'log.failing' threw: the ink is dry. No store was touched.",
  );
  click('Tidy', () => void runtime.run(tidy()));
  await settle();
  expect(await sentence()).toBe('Your click on “Tidy” ran log.tidy: log.noted');
  click('', () => [1, 2, 3, 4].forEach((n) => runtime.dispatch(noted(`note ${n}`))));
  expect(await sentence()).toBe('Your click on a button dispatched log.noted');
});

test('a click that dispatches nothing is a moment too, and the newest', async () => {
  const { runtime, click, shut } = openPort();
  const { ask } = toRuntime(runtime);
  click('Shut', () => runtime.dispatch(shut()));
  click('Assign');
  const moment = (await ask('moment', {}))!;
  expect([moment.sentence, moment.outcome, moment.steps]).toEqual([
    'Your click on “Assign” dispatched nothing',
    'nothing',
    0,
  ]);
  expect((await ask('moment', { number: moment.number - 1 }))?.sentence).toBe(
    'Your click on “Shut” dispatched log.shut',
  );
});

test('steps without a recorded cause are moments of their own; those of one transaction are one', async () => {
  const { runtime, noted, shut } = openPort();
  const { ask } = toRuntime(runtime);
  runtime.atomic(() => {
    runtime.dispatch(noted('a'));
    runtime.dispatch(shut());
  });
  expect((await ask('moment', {}))?.sentence).toBe('The application dispatched log.noted and log.shut');
  runtime.dispatch(noted('b'));
  expect((await ask('moment', {}))?.steps).toBe(1);
});

test('what a watcher dispatches belongs to what it answers', async () => {
  const { runtime, click, noted, shut, notesShown } = openPort();
  const { ask } = toRuntime(runtime);
  runtime.watch(notesShown, () => void runtime.dispatch(shut()));
  click('Note', () => runtime.dispatch(noted('a')));
  const moment = (await ask('moment', {}))!;
  expect(tree(moment.causes)).toEqual(['click on “Note”', '.log.noted', '..log.shut']);
});

test('a moment gives the value before all changes of a place', async () => {
  const { runtime, click, log } = openPort();
  const emptied = log.action('emptied', (draft) => {
    draft.notes = [];
  });
  const corrected = log.action('corrected', (draft) => {
    draft.notes[0] = 'corrected';
  });
  const { ask } = toRuntime(runtime);
  const noted = log.edits().merge({ notes: ['a', 'b'] });
  runtime.dispatch(noted);
  click('Empty', () => {
    runtime.dispatch(corrected());
    runtime.dispatch(emptied());
  });
  const moment = (await ask('moment', {}))!;
  expect(moment.changes.map(({ label, before, after }) => [label, before?.text, after?.text])).toEqual([
    ['log · notes', '2 items', '− ["a", "b"]'],
  ]);
});

test('a muted kind begins no moment, until it is shown again', async () => {
  const { runtime, shut, noted } = openPort();
  const { ask } = toRuntime(runtime);
  runtime.dispatch(shut());
  runtime.dispatch(noted('a'));
  await ask('mute', { name: 'log.noted', muted: true });
  expect((await ask('moment', {}))?.sentence).toBe('The application dispatched log.shut');
  await ask('mute', { name: 'log.noted', muted: false });
  expect((await ask('moment', {}))?.sentence).toBe('The application dispatched log.noted');
});

test('a file tells the same moments as the runtime did, titles included', async () => {
  const { runtime, click, assignBerth, answers, shut } = openPort();
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')));
  answers[0].confirm();
  await settle();
  click('Nothing');
  runtime.dispatch(shut());
  const [live, file] = [toRuntime(runtime), await toFile(runtime.trace.export())];
  const { moments } = await live.ask('status', {});
  expect((await file.ask('status', {})).moments).toBe(moments);
  for (let number = 0; number < moments; number++) {
    const [a, b] = [(await live.ask('moment', { number }))!, (await file.ask('moment', { number }))!];
    expect({ ...b, observed: null }).toEqual({ ...a, observed: null, sentence: a.sentence.replace(/^Your/, 'The') });
  }
  expect((await file.ask('moment', {}))?.sentence).toBe('The click on “Nothing” dispatched nothing');
});
