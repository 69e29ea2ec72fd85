// Actions and their creators: what they are made of, what may be named how, and who answers.
import { describe, expect, jest, test } from '@jest/globals';
import { copyOf, action, createRuntime, selector, store, task, type AnyAction } from 'floe';
import { codeOf } from '../support/failures.js';

describe('whether an action takes a payload follows from how its change is written', () => {
  const thing = store('thing', { n: 0 });
  let made = 0;
  const takes = (change: unknown): boolean => {
    const creator = thing.action(`a${made++}`, change as (draft: { n: number }, n?: number) => void);
    return 'payload' in creator(7);
  };
  // Written as text, so that no compiler rewrites them.
  test.each([
    ['(draft, n) => { draft.n = n }', true],
    ['(draft) => { draft.n = 1 }', false],
    ['draft => { draft.n = [1, 2].length }', false],
    ['draft => Math.max(1, 2)', false],
    ['(draft) => { draft.n = Math.max(...[1, 2]) }', false],
    ['() => { [1, 2].length }', false],
    ['(draft, n = 3) => { draft.n = n }', true],
    ['(draft,n=3) => { draft.n = n }', true],
    ['(draft = f(1, 2)) => { draft.n = 1 }', false],
    ['(draft = { a: [1, 2] }, n = 3) => { draft.n = n }', true],
    ['({ n }, m = 3) => { n = m }', true],
    ['({ n, m = 3 }) => { n = m }', false],
    ['({ f = () => 1 }, n = 3) => { n = f }', true],
    ['(draft, ...rest) => { draft.n = rest.length }', true],
    ['(...all) => { all[0].n = 1 }', true],
    ['( ...all) => { all[0].n = 1 }', true],
    ['function (draft, n = 3) { draft.n = n }', true],
    ['function named(...all) { all[0].n = 1 }', true],
    ['function (draft) { f(1, 2) }', false],
    ['function (draft /* , n = 3 */) { draft.n = 1 }', false],
    ['(draft, // the rest\n n = 3) => { draft.n = n }', true],
    ['(draft // , n = 3\n) => { draft.n = 1 }', false],
    ['(draft, ) => { f(1, 2) }', false],
  ])('%s', (text, wanted) => {
    expect(takes(new Function(`return ${text}`)())).toBe(wanted);
  });
});

test('names are checked where they are given', () => {
  for (const type of ['', 7, undefined]) expect(codeOf(() => action(type as string))).toBe('FLOE_BAD_NAME');
  for (const name of ['', 'a.b', 'a/b', 7]) {
    expect(codeOf(() => store(name as string, {}))).toBe('FLOE_BAD_NAME');
    const thing = store('thing', { n: 0 });
    expect(codeOf(() => thing.action(name as string, () => undefined))).toBe('FLOE_BAD_NAME');
    expect(codeOf(() => thing.selector(name as string, () => 0))).toBe('FLOE_BAD_NAME');
    expect(codeOf(() => thing.invariant(name as string, () => true))).toBe('FLOE_BAD_NAME');
    expect(codeOf(() => copyOf(thing, name as string))).toBe('FLOE_BAD_NAME');
  }
  for (const name of ['', 7]) expect(codeOf(() => selector(name as string, () => 0))).toBe('FLOE_BAD_NAME');
  expect(() => store('a.b', {})).toThrow("A store needs a name: a non-empty string without '.' or '/' (found: 'a.b').");
  expect(() => store('port', {}).action('', () => undefined)).toThrow("An action of 'port' needs a name");
  expect(() => action('')).toThrow('An action needs a name');
  expect(() => selector('', () => 0)).toThrow('A selector needs a name');
});

test('an action of no store takes a payload, drops an event, and has an about', () => {
  const noticed = action<{ text: string }>('noticed', { about: { loud: true } });
  expect(noticed({ text: 'a' })).toEqual({ type: 'noticed', payload: { text: 'a' } });
  const event = { preventDefault: () => undefined };
  expect('payload' in noticed(event as never)).toBe(false);
  expect(noticed.about).toEqual({ loud: true });
  expect(noticed.made({ type: 'noticed' })).toBe(true);
  expect(noticed.made({ type: 'other' })).toBe(false);
});

test('a creator drops what its change does not declare, and keeps what has a default', () => {
  const thing = store('thing', { n: 0 });
  const cleared = thing.action('cleared', (draft) => void (draft.n = 0));
  const dated = thing.action('dated', (draft, n: number = 3) => void (draft.n = n));
  expect((cleared as (event: object) => AnyAction)({ type: 'click' })).toStrictEqual({ type: 'thing.cleared' });
  expect(dated(4)).toEqual({ type: 'thing.dated', payload: 4 });
  expect(dated.made(dated(1)) && !cleared.made(dated(1))).toBe(true);
});

test('two creators of one type each have their own about', () => {
  const notified: unknown[] = [];
  const [one, two] = [1, 2].map((n) => action('noticed', { about: { n } }));
  const ran = jest.fn();
  task('ran', () => ran(), { when: action('by text') });
  const onProblem = jest.fn();
  const runtime = createRuntime({
    onProblem,
    interceptors: [
      (_action, { about, proceed }) => {
        notified.push(about);
        proceed();
      },
    ],
  });
  for (const creator of [one, two, one]) runtime.dispatch(creator());
  expect(notified).toEqual([{ n: 1 }, { n: 2 }, { n: 1 }]);
  // Nothing handles it, which is said once.
  expect(onProblem.mock.calls).toMatchObject([[{ error: { code: 'FLOE_NOT_HANDLED' } }]]);
  runtime.dispatch({ type: 'by text' });
  expect(ran).toHaveBeenCalledTimes(1);
  // A store that joins later answers what was dispatched before; a hand-written action will do.
  const late = store('late', { n: 0 }).when(one, (draft) => void (draft.n += 1));
  runtime.add(late);
  runtime.dispatch(one());
  const counted = late.action('counted', (draft) => void (draft.n += 1));
  runtime.dispatch({ type: counted.type });
  expect(runtime.read(late).n).toBe(2);
});

test('edits are ready-made actions of a small store', () => {
  const panel = store('panel', { open: false, width: 3 } as { open: boolean; width?: number });
  const { replace, merge, remove } = panel.edits();
  const runtime = createRuntime({ stores: [panel] });
  runtime.dispatch(merge({ open: true }));
  runtime.dispatch(remove('width'));
  expect(runtime.read(panel)).toEqual({ open: true });
  runtime.dispatch(replace({ open: false }));
  expect(runtime.read(panel)).toEqual({ open: false });
});
