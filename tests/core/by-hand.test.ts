// Places that a developer reads and sets by hand: on the console, and as the inspector does.
import { expect, test } from '@jest/globals';
import { createRuntime, store } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { until } from '../support/eventually.js';

interface OnConsole {
  at(pointer: string): unknown;
  set(pointer: string, value: unknown): void;
}

function open() {
  const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
  const port = tables('port', [berth]);
  const log = store('log', { notes: ['fog'], shift: { open: true } })
    .persisted()
    .invariant('few notes', ({ notes }) => notes.length < 3);
  const noted = log.action('noted', (draft, note: string) => void draft.notes.push(note));
  const places = new Map<string, string>();
  const runtime = createRuntime({
    stores: [port, log],
    trace: recording(),
    storage: memoryStorage(places, { writeAfter: 1 }),
    expose: 'byHand',
    onProblem: () => undefined,
  });
  runtime.dispatch(port.ingest(berth, [{ id: 'N1', depth: 7 }]));
  const harbour = (globalThis as unknown as { byHand: OnConsole & typeof runtime }).byHand;
  return { runtime, harbour, port, log, noted, places };
}

test('a place is read and set by its pointer; the trace tells who did it, and watchers and storages follow', async () => {
  const { runtime, harbour, port, log, places } = open();
  const seen: unknown[] = [];
  runtime.watch(log, ({ notes }) => seen.push(notes));
  const before = runtime.read(log).shift;
  harbour.set('/log/notes/-', 'clear');
  harbour.set('/port/berth/N1/depth', 6);
  harbour.set('/port/berth/N2', { id: 'N2', depth: 5 });
  expect([harbour.at('/log/notes'), harbour.at('/port/berth/N2/depth'), harbour.at('/port/berth/N1/depth')]).toEqual([
    ['fog', 'clear'],
    5,
    6,
  ]);
  expect(runtime.read(log).shift).toBe(before);
  expect(seen).toEqual([['fog', 'clear']]);
  expect(runtime.trace.steps.slice(-3).map(({ fact, cause, changes }) => [fact, cause, changes[0].path])).toEqual([
    ['edited', { by: 'inspector' }, '/log/notes/1'],
    ['edited', { by: 'inspector' }, '/port/berth/N1/depth'],
    ['edited', { by: 'inspector' }, '/port/berth/N2'],
  ]);
  await until(() => [...places.values()].some((text) => text.includes('clear')));
  // What is the same sets nothing; what the trace holds can be moved through, and exported.
  const steps = runtime.trace.steps.length;
  harbour.set('/log/shift', { open: true });
  expect(runtime.trace.steps).toHaveLength(steps);
  runtime.trace.back();
  expect(harbour.at('/port/berth')).toEqual({ N1: { id: 'N1', depth: 6 } });
  harbour.set('/log/shift/open', false);
  expect([runtime.trace.isLive, runtime.trace.branches.length, harbour.at('/log/shift/open')]).toEqual([
    true,
    2,
    false,
  ]);
  const again = createRuntime({ stores: [port, log], trace: recording() });
  again.trace.import(runtime.trace.export());
  expect(again.snapshot()).toEqual(runtime.snapshot());
});

test('what breaks a rule, is no state, or leads nowhere is refused, and nothing changed', () => {
  const { runtime, harbour } = open();
  harbour.set('/log/shift/open', false);
  // In the past too: what is refused begins no branch.
  runtime.trace.back();
  const [before, steps] = [runtime.snapshot(), runtime.trace.steps.length];
  for (const [pointer, value, code] of [
    ['/log/notes', ['a', 'b', 'c'], 'FLOE_INVARIANT_BROKEN'],
    ['/log/shift', () => 0, 'FLOE_NOT_PLAIN_DATA'],
    ['/lok/notes', [], 'FLOE_NO_SUCH_PLACE'],
    ['/log/shifts/open', true, 'FLOE_NO_SUCH_PLACE'],
    ['', {}, 'FLOE_NO_SUCH_PLACE'],
    ['log', {}, 'FLOE_BAD_POINTER'],
  ] as const)
    expect(() => harbour.set(pointer, value)).toThrow(expect.objectContaining({ code }));
  expect(() => harbour.set('/logs/notes', [])).toThrow("Did you mean 'log'?");
  expect(() => harbour.at('/log/nothing')).toThrow(expect.objectContaining({ code: 'FLOE_NO_SUCH_PLACE' }));
  expect([runtime.snapshot(), runtime.trace.steps.length]).toEqual([before, steps]);
  expect([runtime.trace.isLive, runtime.trace.branches.length]).toEqual([false, 1]);
});

test('an assignment to what was read says how it is done, also where the console would ignore it', () => {
  const { harbour, runtime } = open();
  const shift = harbour.at('/log') as { shift: { open: boolean }; notes: string[] };
  expect(() => {
    shift.shift.open = false;
  }).toThrow("byHand.set('/log/shift/open', value)");
  expect(() => shift.notes.push('x')).toThrow("byHand.set('/log/notes/1', value)");
  expect(() => delete (harbour.at('/port/berth') as Record<string, object>).N1).toThrow('/port/berth/N1');
  expect(harbour.trace).toBe(runtime.trace);
});

test('an edit beside a pending action stays when that is reverted', async () => {
  const { runtime, harbour, noted, log } = open();
  const { task } = await import('floe');
  let refuse: (why: Error) => void = () => undefined;
  const note = task(log, 'note', async ({ optimistic }) => {
    const shown = optimistic(noted('shown at once'));
    await new Promise((_, reject) => (refuse = reject)).catch(() => shown.revert());
  });
  const done = runtime.run(note());
  harbour.set('/log/shift/open', false);
  refuse(new Error('no'));
  await done;
  expect(harbour.at('/log')).toEqual({ notes: ['fog'], shift: { open: false } });
  expect(() =>
    runtime.atomic(() => {
      harbour.set('/log/shift/open', true);
      throw new Error('rolled back');
    }),
  ).toThrow();
  expect(harbour.at('/log/shift/open')).toBe(false);
});
