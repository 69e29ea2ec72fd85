// A production build uses drafts again from change to change, and freezes and checks nothing.
import { beforeAll, describe, expect, jest, test } from '@jest/globals';
import fc from 'fast-check';
import { plain, runEdits, someEdit, someState, type Json } from '../support/edit-programs.js';
import { leastLength, runs } from '../support/runs.js';
import { codeOf } from '../support/failures.js';

let floe: typeof import('floe');
beforeAll(async () => {
  const { NODE_ENV } = process.env;
  process.env.NODE_ENV = 'production';
  jest.resetModules();
  floe = await import('floe');
  process.env.NODE_ENV = NODE_ENV;
});

describe('in production', () => {
  test('changes one after the other on the same drafts end where plain data ends; states before stay as they were', () => {
    const { at, createRuntime, selector, store } = floe;
    const someProgram = fc.record({
      edits: fc.array(someEdit, { minLength: Math.min(leastLength, 6), maxLength: 12 }),
      fails: fc.boolean(),
      other: fc.boolean(),
    });
    fc.assert(
      fc.property(someState, someState, fc.array(someProgram, { maxLength: 12 }), (first, second, programs) => {
        const things = [store<string, object>('one', plain(first)), store<string, object>('two', plain(second))];
        const models: Record<string, Json>[] = [plain(first), plain(second)];
        const edited = things.map((thing) =>
          thing.action('edited', (draft, { edits, fails }: (typeof programs)[number]) => {
            runEdits(draft as never, plain(edits as never) as never);
            if (fails) throw new Error('on purpose');
          }),
        );
        const runtime = createRuntime({ stores: things });
        const pointers = ['/a', '/list/0', '/list/length', '/deep/b', '/deep/c/0/a', '/x~1y'];
        const parts = things.map((thing) => pointers.map((pointer) => at(thing, pointer, 'nothing')));
        const texts = things.map((thing, i) => selector(`text${i}`, (read) => JSON.stringify(read(thing))));
        const states: { readonly state: unknown; readonly text: string }[] = [];
        const heard: string[] = [];
        for (const text of texts) runtime.watch(text, (now) => heard.push(now));
        for (const program of programs) {
          const which = program.other ? 1 : 0;
          const before = runtime.read(things[which]);
          states.push({ state: before, text: JSON.stringify(before) });
          heard.length = 0;
          const dispatch = (): string => runtime.dispatch(edited[which](program));
          if (program.fails) {
            expect(codeOf(dispatch)).toBe('FLOE_CHANGE_FAILED');
            expect(runtime.read(things[which])).toBe(before);
            continue;
          }
          runEdits(models[which] as never, plain(program.edits as never) as never);
          const outcome = dispatch();
          const after = runtime.read(things[which]);
          expect(after).toEqual(plain(models[which]));
          // A part taken out and put back is no change, and keeps its place among the keys: edits go by their order.
          models[which] = plain(after as Record<string, Json>);
          expect(outcome).toBe(after === before ? 'unchanged' : 'applied');
          for (const [i, part] of parts[which].entries()) {
            const keys = pointers[i].slice(1).split('/');
            const wanted = keys.reduce<unknown>(
              (value, key) =>
                typeof value === 'object' && value !== null && Object.hasOwn(value, key.replace('~1', '/'))
                  ? (value as Record<string, unknown>)[key.replace('~1', '/')]
                  : undefined,
              after,
            );
            expect(runtime.read(part)).toBe(wanted === undefined ? 'nothing' : wanted);
          }
          const text = JSON.stringify(after);
          expect(runtime.read(texts[which])).toBe(text);
          expect(heard).toEqual(text === states.at(-1)!.text ? [] : [text]);
        }
        for (const { state, text } of states) expect(JSON.stringify(state)).toBe(text);
      }),
      { numRuns: runs(150) },
    );
  });

  test('a leaked draft is an error after its change, and never touches a state that was handed out', () => {
    const { createRuntime, store } = floe;
    const thing = store('thing', { n: 0, inner: { n: 0 } });
    let leaked: { n: number; inner: { n: number } } | undefined;
    let inner: { n: number } | undefined;
    const changed = thing.action('changed', (draft) => {
      if (inner) expect(codeOf(() => (inner!.n = 9))).toBe('FLOE_DRAFT_ENDED');
      leaked = draft;
      inner = draft.inner;
      draft.n++;
    });
    const runtime = createRuntime({ stores: [thing] });
    runtime.dispatch(changed());
    const state = runtime.read(thing);
    expect(codeOf(() => (leaked!.n = 9))).toBe('FLOE_DRAFT_ENDED');
    expect(codeOf(() => inner!.n)).toBe('FLOE_DRAFT_ENDED');
    expect(codeOf(() => Object.keys(leaked!))).toBe('FLOE_DRAFT_ENDED');
    runtime.dispatch(changed());
    expect(state).toEqual({ n: 1, inner: { n: 0 } });
    expect(runtime.read(thing)).toEqual({ n: 2, inner: { n: 0 } });
  });

  test('nothing is frozen, and messages are the code and the names', () => {
    const { createRuntime, store } = floe;
    const thing = store('thing', { list: [{ n: 1 }] });
    const broken = thing.action('broken', () => {
      throw new Error('on purpose');
    });
    const payload = { n: 2 };
    const added = thing.action('added', (draft, row: { n: number }) => {
      draft.list.push(row);
    });
    const runtime = createRuntime({ stores: [thing] });
    runtime.dispatch(added(payload));
    expect([Object.isFrozen(payload), Object.isFrozen(runtime.read(thing).list)]).toEqual([false, false]);
    expect(() => runtime.dispatch(broken())).toThrow('FLOE_CHANGE_FAILED thing.broken thing');
    expect(codeOf(() => runtime.dispatch({ type: 'none' }))).toBe('FLOE_UNKNOWN_ACTION');
  });

  test('what holds without checks: no second definition, no endless depth, no stale Map, no misspelt option looked for', () => {
    const { createRuntime, selector, store } = floe;
    const declare = () => store('list', { all: [{ id: 'a', n: 1 }], deep: {} as object });
    const [list, again] = [declare(), declare()];
    const set = list.action('set', (draft, n: number) => void (draft.all[0].n = n));
    const dug = list.action('dug', (draft) => {
      let at = draft as { deep: object };
      for (let i = 0; i < 5000; i++) at = (at.deep = { deep: {} }) as typeof at;
    });
    const byId = list.selector('byId', ({ all }) => new Map(all.map((one) => [one.id, one])));
    const runtime = createRuntime({ stores: [list], interceptor: [] } as object);
    expect(codeOf(() => runtime.read(again))).toBe('FLOE_NAME_TAKEN');
    runtime.read(byId);
    runtime.dispatch(set(2));
    expect(runtime.read(byId).get('a')).toBe(runtime.read(list).all[0]);
    expect(codeOf(() => runtime.dispatch(dug()))).toBe('FLOE_TOO_DEEP');
    const chain = [selector('link 0', (read) => read(list).all.length)];
    for (let i = 1; i < 3000; i++) chain.push(selector(`link ${i}`, (read) => read(chain[i - 1])));
    expect(codeOf(() => runtime.read(chain[2999]))).toBe('FLOE_TOO_DEEP');
  });
});
