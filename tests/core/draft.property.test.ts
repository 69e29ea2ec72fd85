import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { applyPatch as applyOther, type Operation } from 'fast-json-patch';
import { applyPatch, createRuntime, store, type Patch } from 'floe';
import { recording } from 'floe/trace';
import {
  plain,
  runEdits,
  someData,
  someEdit,
  someState,
  type Edit,
  type Json,
  type Tally,
} from '../support/edit-programs.js';
import { leastLength, longMode, runs } from '../support/runs.js';

/** Dispatches one change on a state; gives what the trace recorded and the state after. */
function transition(
  before: Json,
  change: (draft: never) => unknown,
): { after: Json; changes: Patch; undo: Patch; outcome: string } {
  const thing = store('thing', before);
  const edited = thing.action('edited', change as never);
  const runtime = createRuntime({ stores: [thing], trace: recording() });
  runtime.dispatch(edited());
  const { changes, undo, outcome } = runtime.trace.steps.at(-1)!;
  return { after: runtime.read(thing), changes, undo, outcome };
}

/** What an independent implementation of JSON Patch makes of it. */
const patched = (state: Json, patch: Patch): Json =>
  applyOther({ thing: plain(state) }, plain(patch as never) as Operation[], true).newDocument.thing;

function checkPatches(before: Json, { after, changes, undo }: ReturnType<typeof transition>): void {
  expect(patched(before, changes)).toEqual(after);
  expect(patched(after, undo)).toEqual(before);
  expect(applyPatch({ thing: before }, changes)).toEqual({ thing: after });
  expect(applyPatch({ thing: after }, undo)).toEqual({ thing: before });
}

/** Whether a patch without one of its operations would do as well. */
function hasNeedless(before: Json, after: Json, changes: Patch): boolean {
  return changes.some((_, left) => {
    try {
      return (
        JSON.stringify(
          sorted(
            patched(
              before,
              changes.filter((_one, i) => i !== left),
            ),
          ),
        ) === JSON.stringify(sorted(after))
      );
    } catch {
      return false;
    }
  });
}
const sorted = (value: Json): Json =>
  Array.isArray(value)
    ? value.map(sorted)
    : typeof value === 'object' && value !== null
      ? Object.fromEntries(
          Object.entries(value)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([key, part]) => [key, sorted(part)]),
        )
      : value;

/** Every container in a state. */
function* containers(state: Json): Generator<object> {
  if (typeof state !== 'object' || state === null) return;
  yield state;
  for (const part of Object.values(state)) yield* containers(part);
}

/**
 * Every container that stands at the same place with the same content must be the same object, or one that stood elsewhere
 * before and is still the same.
 */
function checkShared(before: Json, after: Json, path = '', known = new Set(containers(before))): void {
  if (typeof before !== 'object' || typeof after !== 'object' || before === null || after === null || known.has(after))
    return;
  expect({ path, same: JSON.stringify(sorted(before)) === JSON.stringify(sorted(after)) }).toEqual({
    path,
    same: false,
  });
  for (const key of Object.keys(after)) {
    if (Object.hasOwn(before, key))
      checkShared((before as Record<string, Json>)[key], (after as Record<string, Json>)[key], `${path}/${key}`, known);
  }
}

describe('drafts against plain mutable data', () => {
  const tally: Tally = new Map();

  test('a change ends in the state that the same edits make of a plain copy, and its patches lead there and back', () => {
    fc.assert(
      fc.property(
        someState,
        fc.array(someEdit, { minLength: leastLength, maxLength: 60 }),
        (before, program: Edit[]) => {
          const kept = plain(before);
          const model = plain(before);
          runEdits(model, program, tally);
          const result = transition(before, (draft) => runEdits(draft, program));
          expect(result.after).toEqual(plain(model));
          expect(before).toEqual(kept);
          expect(result.outcome).toBe(result.after === before ? 'unchanged' : 'applied');
          if (result.after !== before) expect(plain(result.after)).not.toEqual(kept);
          checkPatches(before, result);
        },
      ),
      { numRuns: runs(300) },
    );
    if (longMode) console.log('edits that had something to work on:', Object.fromEntries(tally));
  });

  test('no operation can be left out, and what did not change keeps its identity', () => {
    // Only leaves are put in: new data is new all through, even where it happens to look like what was there.
    const modest = fc.array(
      someEdit
        .filter(({ kind }) => ['set', 'setSame', 'delete', 'push', 'pop', 'splice', 'editAll', 'read'].includes(kind))
        .map((edit) => ({ ...edit, value: typeof edit.value === 'object' ? null : edit.value })),
      { maxLength: 12 },
    );
    fc.assert(
      fc.property(someState, modest, (before, program) => {
        const result = transition(before, (draft) => runEdits(draft, program));
        expect(hasNeedless(before, result.after, result.changes)).toBe(false);
        checkShared(before, result.after);
        // An object of which a part was edited is not put in again as a whole.
        const isObject = (value: unknown): boolean =>
          typeof value === 'object' && value !== null && !Array.isArray(value);
        const whole = result.changes.filter(
          (one, i) =>
            'value' in one && isObject(one.value) && isObject((result.undo.at(-1 - i) as { value?: unknown }).value),
        );
        expect(whole).toEqual([]);
      }),
      { numRuns: runs(200) },
    );
  });

  test('a returned next state counts as what it differs in', () => {
    fc.assert(
      fc.property(someData, someData, (before, after) => {
        const result = transition(before, () => plain(after));
        expect(result.after).toEqual(after);
        checkPatches(before, result);
        expect(hasNeedless(before, after, result.changes)).toBe(false);
      }),
      {
        numRuns: runs(300),
        // Rare by chance: keys that a pointer has to escape, new and gone.
        examples: [
          [{ a: 1 }, { a: 1, 'x/y': 2, 'm~n': 3 }],
          [
            { a: 1, 'x/y': [0], '': 1 },
            { a: 1, 'x/y': [0, 1] },
          ],
        ],
      },
    );
  });

  test('k items put into or taken out of a long array cost about k operations', () => {
    const rows = Array.from({ length: 500 }, (_, id) => ({ id, name: `row ${id}` }));
    fc.assert(
      fc.property(fc.nat(499), fc.nat(20), fc.nat(20), fc.nat(499), (at, out, into, edited) => {
        const { after, changes } = transition({ rows }, (draft: { rows: { id: number; name: string }[] }) => {
          draft.rows[edited].name = 'edited';
          draft.rows.splice(at, out, ...Array.from({ length: into }, (_, i) => ({ id: 1000 + i, name: 'new' })));
        });
        expect(changes.length).toBeLessThanOrEqual(out + into + 1);
        expect(applyPatch({ thing: { rows } }, changes)).toEqual({ thing: after });
      }),
      { numRuns: runs(50) },
    );
  });
});
