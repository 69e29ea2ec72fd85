// Where values come from, what became of them, and the application's own way back.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, task } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { testRuntime } from 'floe/testing';
import { recording, undoStack } from 'floe/trace';

interface Visit {
  id: string;
  phase: string;
}
const visits = store('visits', { list: [] as Visit[], note: '' });
const planned = visits.action('planned', (draft, { at, id }: { at: number; id: string }) => {
  draft.list.splice(at, 0, { id, phase: 'expected' });
});
const reversed = visits.action('reversed', (draft) => void draft.list.reverse());
const noted = visits.action('noted', (draft, note: string) => {
  draft.note = note;
});
const shown = (found: readonly { step: { seq: number }; pointer: string; before?: unknown; after?: unknown }[]) =>
  found.map(({ step, pointer, ...values }) => [step.seq, pointer, values.before, values.after]);

describe('the history of a value', () => {
  test('the history of a field lists who changed it, with the value before and after, up to the cursor', () => {
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    for (const note of ['Fog', 'Fog', 'Clear']) runtime.dispatch(noted(note));
    runtime.dispatch(planned({ at: 0, id: 'v1' }));
    expect(shown(runtime.trace.history('/visits/note'))).toEqual([
      [0, '/visits/note', undefined, ''],
      [1, '/visits/note', '', 'Fog'],
      [3, '/visits/note', 'Fog', 'Clear'],
    ]);
    runtime.trace.seek(2);
    expect(runtime.trace.history('/visits/note')).toHaveLength(2);
    expect(runtime.trace.history('/visits/nothing/here')).toEqual([]);
  });

  test('the history of a row includes its removal and its return', () => {
    const berth = entity('berth', rowOf<{ id: string; quay: string }>(), { key: 'id' });
    const port = tables('port', [berth]);
    const runtime = createRuntime({ stores: [port], trace: recording() });
    runtime.dispatch(port.put(berth, { id: 'N/1', quay: 'North' }));
    runtime.dispatch(port.merge(berth, 'N/1', { quay: 'South' }));
    runtime.dispatch(port.remove(berth, 'N/1'));
    runtime.dispatch(port.put(berth, { id: 'N/1', quay: 'East' }));
    const path = '/port/berth/N~11/quay';
    expect(shown(runtime.trace.history(path))).toEqual([
      [1, path, undefined, 'North'],
      [2, path, 'North', 'South'],
      [3, path, 'South', undefined],
      [4, path, undefined, 'East'],
    ]);
    // What was not there has no value, not even an empty one.
    expect(runtime.trace.history(path).map((change) => ['before' in change, 'after' in change])).toEqual([
      [false, true],
      [true, true],
      [true, false],
      [false, true],
    ]);
  });
});

test('trace.changes gives the patch from one step to another, in both directions', () => {
  const runtime = createRuntime({ stores: [visits], trace: recording() });
  for (const note of ['Fog', 'Clear', 'Fog']) runtime.dispatch(noted(note));
  expect(runtime.trace.changes(0, 2)).toEqual([{ op: 'replace', path: '/visits/note', value: 'Clear' }]);
  expect(runtime.trace.changes(3, 1)).toEqual([]);
});

describe('undo and redo', () => {
  const begin = (options: Partial<Parameters<typeof undoStack>[1]> = {}) => {
    const runtime = testRuntime({ stores: [visits] });
    const edits = undoStack(runtime, { stores: [visits], ...options });
    return {
      runtime,
      edits,
      note: () => runtime.read(visits).note,
      list: () => runtime.read(visits).list.map(({ id }) => id),
    };
  };

  test('typing makes one entry, a pause begins another, and each undo is one step', async () => {
    const { runtime, edits, note } = begin();
    for (const text of ['F', 'Fo', 'Fog']) {
      runtime.dispatch(noted(text));
      await runtime.clock.advance(300);
    }
    await runtime.clock.advance(2000);
    runtime.dispatch(noted('Fog from the west'));
    expect([edits.undos, edits.nextUndo]).toEqual([2, 'visits.noted']);
    expect(edits.undo()).toEqual({ became: 'done', title: 'visits.noted' });
    expect([note(), runtime.trace.steps.at(-1)]).toMatchObject(['Fog', { kind: 'fact', fact: 'undone' }]);
    edits.undo();
    expect([note(), edits.undo(), edits.redos]).toEqual(['', { became: 'nothing' }, 2]);
    edits.redo();
    edits.redo();
    expect([note(), edits.redo()]).toEqual(['Fog from the west', { became: 'nothing' }]);
    edits.undo();
    runtime.dispatch(noted('other'));
    expect(edits.redos).toBe(0);
  });

  test('a transaction makes one entry, and actions that are not chosen make none', async () => {
    const other = store('other', { n: 0 });
    const counted = other.action('counted', (draft) => {
      draft.n++;
    });
    const write = task(visits, 'write', ({ dispatch }, text: string) => void dispatch(noted(text)));
    const { runtime, edits, list } = begin({ except: ['visits.reversed'], limit: 2 });
    runtime.dispatch(counted());
    await runtime.run(write('by a task'));
    runtime.dispatch(reversed());
    expect(edits.undos).toBe(0);
    runtime.atomic(() => {
      runtime.dispatch(planned({ at: 0, id: 'v1' }));
      runtime.dispatch(planned({ at: 0, id: 'v2' }));
    });
    expect(edits.undos).toBe(1);
    edits.undo();
    expect(list()).toEqual([]);
    for (const id of ['v3', 'v4', 'v5']) runtime.dispatch(planned({ at: 0, id }));
    expect(edits.undos).toBe(2);
  });

  test('undo reports a place that something else has changed, and overwrites it only with { anyway: true }', async () => {
    const write = task(visits, 'writeAgain', ({ dispatch }, text: string) => void dispatch(noted(text)));
    const { runtime, edits, note } = begin();
    runtime.dispatch(noted('Fog'));
    await runtime.run(write('by a task'));
    expect(edits.undo()).toEqual({ became: 'conflict', title: 'visits.noted', pointer: '/visits/note' });
    expect([note(), edits.undos]).toEqual(['by a task', 1]);
    expect(edits.undo({ anyway: true })).toMatchObject({ became: 'done' });
    expect(note()).toBe('');
  });

  test('in the past an undo knows the items that are shown, and what others did to them', async () => {
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    const undo = undoStack(runtime, { stores: [visits] });
    const moved = visits.action('moved', (draft, { at, phase }: { at: number; phase: string }) => {
      draft.list[at].phase = phase;
    });
    const move = task(visits, 'move', ({ dispatch }, at: number) => void dispatch(moved({ at, phase: 'alongside' })));
    runtime.dispatch(planned({ at: 0, id: 'v1' }));
    await runtime.run(move(0));
    runtime.dispatch(planned({ at: 1, id: 'v2' }));
    runtime.dispatch(moved({ at: 0, phase: 'departed' }));
    runtime.trace.back();
    runtime.trace.back();
    expect(runtime.read(visits).list).toEqual([{ id: 'v1', phase: 'alongside' }]);
    expect(undo.undo()).toMatchObject({ became: 'conflict', pointer: '/visits/list/0' });
    expect(undo.undo({ anyway: true })).toMatchObject({ became: 'done' });
    expect([runtime.read(visits).list, runtime.trace.branches.length]).toEqual([[], 2]);
  });

  test('an undo stands when a listener throws', () => {
    const problems: unknown[] = [];
    const runtime = createRuntime({ stores: [visits], onProblem: ({ error }) => problems.push(error) });
    const edits = undoStack(runtime, { stores: [visits] });
    edits.watch(() => {
      throw new Error('a listener');
    });
    runtime.dispatch(noted('Fog'));
    expect([edits.undo().became, edits.redo().became, runtime.read(visits).note]).toEqual(['done', 'done', 'Fog']);
    expect(problems).toHaveLength(3);
  });

  test('by default only typing into one text gathers, and only while nothing else changes the store', async () => {
    const counter = store('counter', { n: 0, a: '', b: '' });
    const clicked = counter.action('clicked', (draft) => {
      draft.n++;
    });
    const typed = counter.action(
      'typed',
      (draft, [field, text]: readonly ['a' | 'b', string]) => void (draft[field] = text),
    );
    const cleared = counter.action('cleared', (draft) => void (draft.n = 0));
    const clear = task(counter, 'clear', ({ dispatch }) => void dispatch(cleared()));
    const runtime = testRuntime({ stores: [counter] });
    const edits = undoStack(runtime, { stores: [counter], except: [cleared] });
    for (let i = 0; i < 3; i++) runtime.dispatch(clicked());
    expect(edits.undos).toBe(3);
    for (const text of ['F', 'Fo', 'Fog']) runtime.dispatch(typed(['a', text]));
    for (const text of ['R', 'Ra']) runtime.dispatch(typed(['b', text]));
    expect(edits.undos).toBe(5);
    await runtime.run(clear());
    runtime.dispatch(typed(['b', 'Rain']));
    runtime.dispatch(cleared());
    expect(edits.undos).toBe(6);
    edits.undo();
    expect(runtime.read(counter)).toEqual({ n: 0, a: 'Fog', b: 'Ra' });
    edits.undo();
    edits.undo();
    expect(runtime.read(counter)).toEqual({ n: 0, a: '', b: '' });
    // The clicks were cleared since.
    expect(edits.undo()).toMatchObject({ became: 'conflict', pointer: '/counter/n' });
    expect(() => undoStack(runtime, { stores: [counter], limit: Number.NaN })).toThrow("'limit'");
    runtime.trace.import(runtime.trace.export());
    expect([edits.undos, edits.redos]).toEqual([0, 0]);
  });

  test('an undo stack notifies its watchers, and is empty once it is closed', () => {
    const { runtime, edits } = begin();
    let reported = 0;
    const stop = edits.watch(() => reported++);
    runtime.dispatch(noted('Fog'));
    stop();
    runtime.dispatch(reversed());
    edits.close();
    runtime.dispatch(noted('Clear'));
    expect([reported, edits.undos, edits.undo()]).toEqual([1, 0, { became: 'nothing' }]);
  });
});
