// Corners that mutation testing showed to be untold by the other suites.
import { afterEach, describe, expect, jest, test } from '@jest/globals';
import {
  action,
  actionLog,
  applyPatch,
  at,
  confirmation,
  createRuntime,
  FloeError,
  selector,
  store,
  task,
  type AnyAction,
} from 'floe';
import { recording } from 'floe/trace';
import { codeOf, failure } from '../support/failures.js';

afterEach(() => {
  jest.restoreAllMocks();
});

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
    // eslint-disable-next-line @typescript-eslint/no-implied-eval -- the text is the test
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
    expect(codeOf(() => thing.as(name as string))).toBe('FLOE_BAD_NAME');
  }
  for (const name of ['', 7]) expect(codeOf(() => selector(name as string, () => 0))).toBe('FLOE_BAD_NAME');
  expect(() => store('a.b', {})).toThrow("A store needs a name: a non-empty string without '.' or '/' (found: 'a.b').");
  expect(() => store('port', {}).action('', () => undefined)).toThrow("An action of 'port' needs a name");
  expect(() => action('')).toThrow('An action needs a name');
  expect(() => selector('', () => 0)).toThrow('A selector needs a name');
});

test('an action of no store: payload, event, and what it is about', () => {
  const noticed = action<{ text: string }>('noticed', { about: { loud: true } });
  expect(noticed({ text: 'a' })).toEqual({ type: 'noticed', payload: { text: 'a' } });
  const event = { preventDefault: () => undefined };
  expect('payload' in noticed(event as never)).toBe(false);
  expect(noticed.about).toEqual({ loud: true });
  expect(noticed.made({ type: 'noticed' })).toBe(true);
  expect(noticed.made({ type: 'other' })).toBe(false);
});

test('two creators of one type: each says what its actions are about; a task may be all that answers', () => {
  const heard: unknown[] = [];
  const [one, two] = [1, 2].map((n) => action('noticed', { about: { n } }));
  const ran = jest.fn();
  task('ran', () => ran(), { when: action('by text') });
  const runtime = createRuntime({
    stores: [],
    interceptors: [
      (_action, { about, proceed }) => {
        heard.push(about);
        proceed();
      },
    ],
  });
  for (const creator of [one, two, one]) runtime.dispatch(creator());
  expect(heard).toEqual([{ n: 1 }, { n: 2 }, { n: 1 }]);
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

describe('several changes of a store for one action', () => {
  const declare = (second: (draft: { n: number; m: number; list: number[]; made?: unknown }) => unknown) => {
    const thing = store('thing', { n: 0, m: 0, list: [1, 2] } as {
      n: number;
      m: number;
      list: number[];
      made?: unknown;
    });
    const done = thing.action('done', (draft) => {
      draft.n++;
      draft.list[0]++;
    });
    thing.when(done, second as never);
    return { thing, done, runtime: createRuntime({ stores: [thing], trace: recording() }) };
  };

  test('are recorded as one: what both did', () => {
    const { done, runtime } = declare((draft) => {
      draft.m++;
      draft.list[1]++;
    });
    runtime.dispatch(done());
    expect(runtime.trace.steps.at(-1)!.changes.map(({ path }) => path)).toEqual([
      '/thing/n',
      '/thing/m',
      '/thing/list/0',
      '/thing/list/1',
    ]);
  });

  test('that come to nothing are no change', () => {
    const { thing, done, runtime } = declare((draft) => {
      draft.n--;
      draft.list[0]--;
    });
    const before = runtime.read(thing);
    expect(runtime.dispatch(done())).toBe('unchanged');
    expect(runtime.read(thing)).toBe(before);
  });

  test('come to plain data, frozen', () => {
    const { thing, done, runtime } = declare((draft) => {
      draft.made = { deep: [] };
    });
    runtime.dispatch(done());
    expect(Object.isFrozen((runtime.read(thing).made as { deep: unknown }).deep)).toBe(true);
    const wrong = declare((draft) => ({ ...draft, made: () => 1 }));
    const { code, path, message } = failure(() => wrong.runtime.dispatch(wrong.done()));
    expect([code, path]).toEqual(['FLOE_NOT_PLAIN_DATA', '/made']);
    expect(message).toContain("The state of 'thing' after 'thing.done'");
    expect(wrong.runtime.read(wrong.thing).n).toBe(0);
  });
});

test('a draft that leaked is an error, in a later change too', () => {
  const thing = store('thing', { n: 0 });
  let leaked: { n: number } | undefined;
  const first = thing.action('first', (draft) => {
    leaked = draft;
    draft.n++;
  });
  const later = thing.action('later', () => {
    leaked!.n = 7;
  });
  const runtime = createRuntime({ stores: [thing] });
  runtime.dispatch(first());
  expect(codeOf(() => leaked!.n)).toBe('FLOE_DRAFT_ENDED');
  expect(codeOf(() => (leaked!.n = 7))).toBe('FLOE_DRAFT_ENDED');
  expect(codeOf(() => runtime.dispatch(later()))).toBe('FLOE_DRAFT_ENDED');
  expect(runtime.read(thing).n).toBe(1);
});

test('a rule that throws is a rule that does not hold', () => {
  const thing = store('thing', { n: 0 });
  const counted = thing.action('counted', (draft) => {
    draft.n++;
  });
  const why = new Error('on purpose');
  thing.invariant('fails', () => {
    throw why;
  });
  const runtime = createRuntime({ stores: [thing], invariants: 'refuse' });
  expect(() => runtime.dispatch(counted())).toThrow(
    expect.objectContaining({ code: 'FLOE_INVARIANT_BROKEN', cause: why }) as never,
  );
});

describe('JSON Pointers', () => {
  test('what is no pointer is refused with the reason', () => {
    const thing = store('thing', { 'a/b': { 'm~n': 1 }, '~1': 2, '': 3 });
    const { read } = createRuntime({ stores: [thing] });
    expect(() => at(thing, 'a')).toThrow("'a' is not a JSON Pointer (RFC 6901): it must be empty or start with '/'.");
    expect(() => at(thing, '/a~b')).toThrow("'~' must be written '~0', and '/' inside a key '~1'");
    expect(() => at(thing, '/a~')).toThrow(FloeError);
    expect(read(at(thing, '/a~1b/m~0n'))).toBe(1);
    expect(read(at(thing, '/~01'))).toBe(2);
    expect(read(at(thing, '/'))).toBe(3);
    expect(read(at(thing, ''))).toBe(read(thing));
  });

  test('a patch says which operation cannot be applied, and why', () => {
    const document = { list: [1, 2], a: { b: 1 } };
    const failing = (operation: unknown): string => {
      try {
        applyPatch(document, [{ op: 'test', path: '', value: document }, operation as never]);
      } catch (error) {
        return (error as Error).message;
      }
      return 'applied';
    };
    expect(failing({ op: 'add', path: '/list/3', value: 0 })).toBe(
      "Operation 1 of the patch (at '/list/3') cannot be applied: the array has 2 items. Nothing was changed.",
    );
    expect(failing({ op: 'copy', from: '/list/2', path: '/c' })).toContain('the array has 2 items');
    expect(failing({ op: 'copy', from: '/list/-', path: '/c' })).toContain("'-' is not an array index");
    expect(failing('add')).toContain('it is not an object');
    expect(failing({ op: 'add', path: '/list/01', value: 0 })).toContain("'01' is not an array index");
    expect(failing({ op: 'remove', path: '/none' })).toContain("nothing is at 'none'");
    expect(failing({ op: 'add', path: '/none/b', value: 0 })).toContain("nothing is at 'none'");
    expect(failing({ op: 'add', path: '/a/b/c', value: 0 })).toContain('neither an object nor an array');
    expect(failing({ op: 'test', path: '/a/b', value: 2 })).toContain('the value there is another one');
    expect(failing({ op: 'move', from: '/a', path: '/a/b' })).toContain('cannot be moved into itself');
    expect(failing({ op: 'add', path: '/a' })).toContain("it has no 'value'");
    expect(failing({ op: 'add', value: 1 })).toContain("it has no 'path' text");
    expect(failing({ op: 'copy', path: '/c' })).toContain("it has no 'from' text");
    expect(failing({ op: 'add', path: 'a', value: 1 })).toContain("must be empty or start with '/'");
    expect(failing({ op: 'swap', path: '/a' })).toContain("'swap' is not an operation");
    expect(failing(null as never)).toContain('it is not an object');
    expect(document).toEqual({ list: [1, 2], a: { b: 1 } });
    expect(applyPatch(document, [{ op: 'move', from: '/a', path: '/ab' }])).toEqual({ list: [1, 2], ab: { b: 1 } });
    expect(applyPatch(document, [{ op: 'move', from: '/a', path: '/a' }])).toEqual(document);
    expect(applyPatch(document, [{ op: 'remove', path: '' }])).toBeUndefined();
  });
});

describe('a live selection', () => {
  const counter = store('counter', { n: 0 });
  const counted = counter.action('counted', (draft) => {
    draft.n++;
  });
  const n = counter.selector('n', (state) => state.n);

  test('is an observable, for functions, for observers, and for observers that take nothing', () => {
    const onProblem = jest.fn();
    const runtime = createRuntime({ stores: [counter], onProblem });
    const selection = runtime.select(n);
    const observable = selection as unknown as Record<string, () => unknown>;
    const key = (Symbol as { observable?: symbol }).observable ?? '@@observable';
    expect(observable[key as string]()).toBe(selection);
    expect(Object.keys(selection)).not.toContain(key);
    const seen: string[] = [];
    const stops = [
      selection.subscribe((value) => seen.push(`function ${value}`)),
      selection.subscribe({ next: (value) => seen.push(`observer ${value}`) }),
      selection.subscribe({}),
    ];
    runtime.dispatch(counted());
    expect(seen).toEqual(['function 0', 'observer 0', 'function 1', 'observer 1']);
    for (const stop of stops) stop.unsubscribe();
    runtime.dispatch(counted());
    expect(seen).toHaveLength(4);
    expect(onProblem).not.toHaveBeenCalled();
  });

  test('iteration gives the latest to who is slow, and ends when it is left, even while it waits', async () => {
    const runtime = createRuntime({ stores: [counter] });
    const iterator = runtime.select(n)[Symbol.asyncIterator]();
    for (let i = 0; i < 3; i++) runtime.dispatch(counted());
    expect(await iterator.next()).toEqual({ done: false, value: 3 });
    const waiting = iterator.next();
    runtime.dispatch(counted());
    expect(await waiting).toEqual({ done: false, value: 4 });
    const last = iterator.next();
    expect(await iterator.return!()).toEqual({ done: true, value: undefined });
    expect(await last).toEqual({ done: true, value: undefined });
    expect(await iterator.next()).toEqual({ done: true, value: undefined });
    runtime.dispatch(counted());
    expect(await iterator.next()).toEqual({ done: true, value: undefined });
  });
});

describe('the console', () => {
  test('gets problems that nobody listens to, and the log of actions', () => {
    const error = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    const log = jest.spyOn(console, 'log').mockImplementation(() => undefined);
    const thing = store('thing', { n: 0 });
    const counted = thing.action('counted', (draft) => {
      draft.n++;
    });
    const runtime = createRuntime({ stores: [thing], interceptors: [actionLog()] });
    const wrong = new Error('on purpose');
    runtime.watch(thing, () => {
      throw wrong;
    });
    runtime.dispatch(counted());
    expect(error).toHaveBeenCalledWith(wrong);
    expect(log).toHaveBeenCalledWith('thing.counted applied');
    const failing = createRuntime({
      stores: [thing],
      onProblem: () => {
        throw new Error('the listener, too');
      },
    });
    failing.watch(thing, () => {
      throw wrong;
    });
    failing.dispatch(counted());
    expect(error).toHaveBeenLastCalledWith(new Error('the listener, too'));
  });

  test('a log tells of an action that failed, and it fails all the same', () => {
    const lines: string[] = [];
    const thing = store('thing', { n: 0 });
    const broken = thing.action('broken', () => {
      throw new Error('on purpose');
    });
    const runtime = createRuntime({ stores: [thing], interceptors: [actionLog((line) => lines.push(line))] });
    expect(codeOf(() => runtime.dispatch(broken()))).toBe('FLOE_CHANGE_FAILED');
    expect(lines).toHaveLength(1);
    expect(lines[0]).toMatch(/^thing\.broken failed: .*on purpose/);
  });
});

describe('a confirmation', () => {
  const thing = store('thing', { n: 0 });
  const asked = thing.action(
    'asked',
    (draft) => {
      draft.n++;
    },
    { about: { confirm: 'Sure?' } },
  );
  const plain = thing.action('plain', (draft) => {
    draft.n++;
  });
  const withAnswer = (answer: () => boolean | Promise<boolean>) => {
    const questions: [string, AnyAction][] = [];
    const runtime = createRuntime({
      stores: [thing],
      trace: recording(),
      interceptors: [
        confirmation((question, action) => {
          questions.push([question, action]);
          return answer();
        }),
      ],
    });
    return { runtime, questions };
  };

  test('is answered at once, yes or no', () => {
    const yes = withAnswer(() => true);
    expect(yes.runtime.dispatch(asked())).toBe('applied');
    expect(yes.questions).toEqual([['Sure?', { type: 'thing.asked' }]]);
    expect(yes.runtime.dispatch(plain())).toBe('applied');
    expect(yes.questions).toHaveLength(1);
    const no = withAnswer(() => false);
    expect(no.runtime.dispatch(asked())).toBe('stopped');
    expect(no.runtime.read(thing).n).toBe(0);
  });

  test('or later; a question that fails is a no', async () => {
    const later = withAnswer(() => Promise.resolve(true));
    expect(later.runtime.dispatch(asked())).toBe('waiting');
    await Promise.resolve();
    expect(later.runtime.read(thing).n).toBe(1);
    const failed = withAnswer(() => Promise.reject(new Error('the dialog broke')));
    expect(failed.runtime.dispatch(asked())).toBe('waiting');
    await new Promise((resolve) => setTimeout(resolve));
    expect(failed.runtime.read(thing).n).toBe(0);
    expect(failed.runtime.trace.steps.at(-1)).toMatchObject({ outcome: 'stopped', reason: 'not confirmed' });
  });
});
