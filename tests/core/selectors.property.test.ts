import { isDeepStrictEqual } from 'node:util';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, selector, store, type Read, type Source } from 'floe';
import { plain, type Json, type Tally } from '../support/edit-programs.js';
import { leastLength, longMode, runs } from '../support/runs.js';

// The state: rows in boxes, and a few loose values that steer conditional reads.
interface State {
  flag: boolean;
  at: number;
  boxes: { name: string; rows: { id: number; done: boolean; tag?: string }[] }[];
  byName: Record<string, { n: number }>;
}
const initial: State = {
  flag: false,
  at: 0,
  boxes: [0, 1, 2].map((b) => ({ name: `box ${b}`, rows: [0, 1, 2].map((r) => ({ id: 10 * b + r, done: r === 1 })) })),
  byName: { a: { n: 1 }, b: { n: 2 } },
};

// What a selector can do with a state. The same functions run on the state itself, on the runtime's tracking proxies, and on the
// model's own recorder.
const looks: ((state: State, n: number) => unknown)[] = [
  (state) => state.flag,
  (state, n) => state.boxes[n % 4]?.name,
  (state, n) => state.boxes[n % 3]?.rows.length,
  (state, n) => state.boxes[n % 3]?.rows[n % 2]?.done,
  (state, n) => state.boxes[n % 3]?.rows.filter((row) => row.done),
  (state, n) => state.boxes.flatMap((box) => box.rows).find((row) => row.id === n),
  (state) => state.boxes.map((box) => box.rows.some((row) => row.done)),
  (state) => Object.keys(state.byName),
  (state, n) => ('abc'[n % 3] in state.byName ? 'there' : 'absent'),
  (state) => ['a', 'b', 'c'].filter((name) => name in state.byName),
  (state, n) => n % 4 in (state.boxes[n % 3]?.rows ?? []),
  (state) => state.boxes.every((box) => 1 in box.rows),
  (state) => (state.flag ? state.boxes[state.at]?.name : state.byName.a?.n),
  (state, n) => ({ box: state.boxes[n % 3], count: state.at }),
  (state) => ({ ...state.byName }),
  (state) => Object.entries(state.byName).map(([name, { n }]) => `${name}${n}`),
  (state) => (state.boxes[0] ? 'some' : 'none'),
  (state) => [...state.boxes].sort((a, b) => (a.name < b.name ? 1 : -1)).map((box) => box.name),
  (state) => {
    if (state.at === 2) throw new RangeError('two');
    return state.at;
  },
  (state, n) => state.boxes[n % 3]?.rows.map((row) => row.tag ?? 'none').join(),
  (state) => JSON.stringify(state.byName),
  (state) => new Map(state.boxes.map((box) => [box.name, box])),
  (state, n) => new Set(state.boxes[n % 3]?.rows ?? []),
  (state) => ({ byId: new Map(state.boxes.flatMap((box) => box.rows.map((row) => [row.id, row] as const))) }),
  (state) => new Map([['all', state.boxes.map((box) => box.rows)]]),
  (state) => [new Set([new Map([[state.boxes[0], state.byName]])])],
];

interface Operation {
  readonly kind: string;
  readonly n: number;
  readonly m: number;
}

// ---- the model: a recorder of reads that can be asked whether any would now come out differently ----

type Look = (state: State) => unknown;
const kind = (value: unknown): string =>
  Array.isArray(value) ? 'array' : typeof value === 'object' && value !== null ? 'object' : 'leaf';
const seen = (value: unknown): unknown => (kind(value) === 'leaf' ? value : kind(value));
const partAt = (state: unknown, path: readonly string[]): unknown =>
  path.reduce<unknown>(
    (part, key) =>
      typeof part === 'object' && part !== null && Object.hasOwn(part, key) ? (part as never)[key] : undefined,
    state,
  );

class Recorder {
  readonly checks: Look[] = [];
  readonly paths = new WeakMap<object, string[]>();
  private note(look: Look, state: State): void {
    const was = look(state);
    this.checks.push((now) => Object.is(look(now), was));
  }
  constructor(private readonly state: State) {}
  changedIn(now: State): boolean {
    return this.checks.some((check) => check(now) === false);
  }
  view(path: string[] = []): never {
    const raw = partAt(this.state, path) as object;
    // A copy as the target: what is frozen may not be shown as something else.
    const proxy: object = new Proxy(Array.isArray(raw) ? [...(raw as unknown[])] : { ...raw }, {
      get: (_target, key) => {
        const value: unknown = Reflect.get(raw, key);
        if (typeof key === 'symbol' || (!Object.hasOwn(raw, key) && typeof value === 'function')) return value;
        this.note((state) => seen(partAt(state, [...path, key])), this.state);
        return kind(value) === 'leaf' ? value : this.view([...path, key]);
      },
      has: (_target, key) => {
        this.note((state) => Object.hasOwn(partAt(state, path) ?? {}, key), this.state);
        return Reflect.has(raw, key);
      },
      ownKeys: () => {
        this.note((state) => Object.keys(partAt(state, path) ?? {}).join('\n'), this.state);
        return Reflect.ownKeys(raw);
      },
      getOwnPropertyDescriptor: (_target, key) => {
        const found = Reflect.getOwnPropertyDescriptor(raw, key);
        if (typeof key === 'symbol' || !found) return found;
        const value: unknown = (proxy as never)[key];
        return { ...found, value, writable: true, configurable: key !== 'length' || !Array.isArray(raw) };
      },
    });
    this.paths.set(proxy, path);
    return proxy as never;
  }
  /** Handing out a part of the state counts as reading the whole of it. */
  handedOut(value: unknown): void {
    if (typeof value !== 'object' || value === null) return;
    const path = this.paths.get(value);
    if (path) this.note((state) => partAt(state, path), this.state);
    else if (value instanceof Map) for (const parts of value) parts.forEach((part) => this.handedOut(part));
    else if (value instanceof Set) for (const part of value) this.handedOut(part);
    else for (const part of Object.values(value)) this.handedOut(part);
  }
}

/** Stands for the value of a selector that throws. */
const NOTHING = Symbol('nothing');

const somePlan = fc.record({
  look: fc.nat(looks.length - 1),
  n: fc.nat(11),
  reads: fc.array(fc.nat(7), { maxLength: 2 }),
  deep: fc.boolean(),
});
const kinds = [
  'flag',
  'at',
  'rename',
  'toggle',
  'push',
  'splice',
  'sort',
  'tag',
  'name',
  'unname',
  'replace',
  'same',
  'batch',
  'undone',
  'reset',
  'dropBox',
  'watch',
  'unwatch',
];
const someOperation = fc.record({ kind: fc.constantFrom(...kinds), n: fc.nat(11), m: fc.nat(3) });

function edit(state: State, { kind, n, m }: Operation): void {
  const box = state.boxes[m % Math.max(1, state.boxes.length)];
  switch (kind) {
    case 'flag':
      state.flag = !state.flag;
      break;
    case 'at':
      state.at = m;
      break;
    case 'rename':
      if (box) box.name = `box ${n}`;
      break;
    case 'toggle': {
      const row = box?.rows[n % Math.max(1, box.rows.length)];
      if (row) row.done = !row.done;
      break;
    }
    case 'push':
      box?.rows.push({ id: n, done: false });
      break;
    case 'splice':
      box?.rows.splice(n % 3, m % 2, { id: n, done: true });
      break;
    case 'sort':
      box?.rows.sort((a, b) => b.id - a.id);
      break;
    case 'tag': {
      const row = box?.rows[0];
      if (row && n % 2) row.tag = `tag ${m}`;
      else if (row) delete row.tag;
      break;
    }
    case 'name':
      state.byName['abc'[n % 3]] = { n: m };
      break;
    case 'unname':
      Reflect.deleteProperty(state.byName, 'abc'[n % 3]);
      break;
    case 'same':
      state.at += 0;
      if (box) box.name = box.name.slice();
      break;
    case 'dropBox':
      if (state.boxes.length > 1) state.boxes.pop();
      else state.boxes.push({ name: 'new', rows: [] });
      break;
  }
}

const result = (work: () => unknown): unknown => {
  try {
    return plain({ value: (work() ?? null) as Json });
  } catch (error) {
    return String(error);
  }
};

/** A value as text that tells orders apart: of keys, and of what Maps and Sets hold. */
const inOrder = (value: unknown): string =>
  JSON.stringify(value, (_key, part: unknown) => (part instanceof Map || part instanceof Set ? [...part] : part));

/** As `expect(found).toEqual(wanted)`, but fast when they agree. */
function agree(found: unknown, wanted: unknown): void {
  if (!isDeepStrictEqual(found, wanted)) expect(found).toEqual(wanted);
}

test('selectors and watchers against values computed again: right, in step, run once, and only when something that they read changed', () => {
  const tally: Tally = new Map();
  fc.assert(
    fc.property(
      fc.array(somePlan, { minLength: 3, maxLength: 8 }),
      fc.array(someOperation, { minLength: leastLength, maxLength: 60 }),
      (plans, program) => {
        const thing = store('thing', () => plain(initial as never) as State);
        const edited = thing.action('edited', (draft, operation: Operation) => edit(draft, operation));
        const replaced = thing.action('replaced', (state, { n }: Operation) => ({
          ...state,
          at: n % 3,
          boxes: state.boxes.slice(),
        }));
        const failing = thing.action('failing', (draft) => {
          draft.boxes.length = 0;
          throw new Error('on purpose');
        });
        const problems: unknown[] = [];
        const runtime = createRuntime({ stores: [thing], onProblem: ({ error }) => problems.push(error) });

        // Each selector looks at the state, and reads selectors declared before it. Each run is recorded by the model too.
        const ran = plans.map(() => 0);
        const runsOf: { readonly recorder: Recorder; readonly others: ReadonlyMap<number, unknown> }[] = [];
        const now = (): State => runtime.snapshot().thing as State;
        const sources: Source<unknown>[] = plans.map(({ look, n, reads, deep }, i) =>
          selector(
            `s${i}`,
            (read: Read) => {
              ran[i]++;
              const recorder = new Recorder(now());
              const others = new Map<number, unknown>();
              runsOf[i] = { recorder, others };
              try {
                recorder.handedOut(looks[look](recorder.view(), n));
              } catch {
                // The run below throws the same.
              }
              const own = looks[look](read(thing), n);
              if (i === 0 || reads.length === 0) return own;
              return [
                own,
                ...reads.map((other) => {
                  others.set(other % i, NOTHING);
                  const value = read(sources[other % i]);
                  others.set(other % i, value);
                  return value;
                }),
              ];
            },
            { equal: deep ? 'deep' : 'same' },
          ),
        );
        const valueOf = (i: number): unknown => {
          try {
            return runtime.read(sources[i]);
          } catch {
            return NOTHING;
          }
        };
        /** What a selector gives when it is computed from nothing. */
        const fresh = (i: number): unknown => {
          const { look, n, reads } = plans[i];
          const own = looks[look](now(), n);
          return i === 0 || reads.length === 0 ? own : [own, ...reads.map((other) => fresh(other % i))];
        };
        const check = (): void => {
          for (const [i, source] of sources.entries())
            agree(
              result(() => runtime.read(source)),
              result(() => fresh(i)),
            );
        };

        const watched = new Map<number, { stop: () => void; notified: [unknown, unknown][]; last: unknown }>();
        const watch = (i: number): void => {
          if (watched.has(i)) return;
          const notified: [unknown, unknown][] = [];
          const stop = runtime.watch(
            sources[i],
            (value, before) => {
              notified.push([before, value]);
              // Whoever is told sees all other values in step.
              check();
            },
            { onError: () => notified.push([NOTHING, NOTHING]) },
          );
          const last = valueOf(i);
          watched.set(i, { stop, notified, last: last === NOTHING ? undefined : last });
        };
        watch(0);
        check();

        for (const operation of program) {
          const { kind, n } = operation;
          tally.set(kind, (tally.get(kind) ?? 0) + 1);
          if (kind === 'watch') {
            watch(n % sources.length);
            continue;
          }
          if (kind === 'unwatch') {
            watched.get(n % sources.length)?.stop();
            watched.delete(n % sources.length);
            continue;
          }
          const before = sources.map((_, i) => valueOf(i));
          const ranBefore = [...ran];
          const runsBefore = [...runsOf];
          const stateBefore = now();
          for (const { notified } of watched.values()) notified.length = 0;
          if (kind === 'replace') runtime.dispatch(replaced(operation));
          else if (kind === 'reset') runtime.reset();
          else if (kind === 'batch') {
            runtime.batch(() => {
              runtime.dispatch(edited({ ...operation, kind: 'flag' }));
              runtime.dispatch(edited({ ...operation, kind: 'push' }));
            });
          } else if (kind === 'undone') {
            const undone = (): void =>
              runtime.atomic(() => {
                runtime.dispatch(edited({ ...operation, kind: 'push' }));
                runtime.dispatch(failing());
              });
            expect(undone).toThrow('on purpose');
            expect(now()).toBe(stateBefore);
          } else runtime.dispatch(edited(operation));
          check();

          for (const i of sources.keys()) {
            const times = ran[i] - ranBefore[i];
            if (times > 1) expect(times).toBeLessThanOrEqual(1);
            // What was changed and reverted counts as changed.
            if (times === 0 || kind === 'undone') continue;
            const { recorder, others } = runsBefore[i];
            const changed =
              recorder.changedIn(now()) ||
              [...others].some(([other, value]) => value === NOTHING || !Object.is(value, valueOf(other)));
            agree({ selector: i, ran: times, changed }, { selector: i, ran: times, changed: true });
          }
          for (const [i, { deep }] of plans.entries()) {
            const is = valueOf(i);
            if (!deep || is === NOTHING || before[i] === NOTHING) continue;
            if (is !== before[i] && inOrder(is) === inOrder(before[i])) expect(is).toBe(before[i]);
          }
          for (const [i, one] of watched) {
            const is = valueOf(i);
            const errors = one.notified.filter(([value]) => value === NOTHING).length;
            if (is === NOTHING) {
              // An error that follows an error is told where it is another one.
              expect(one.notified).toHaveLength(errors);
              if (before[i] !== NOTHING) expect(errors).toBe(1);
            } else {
              const isNews = before[i] === NOTHING || !Object.is(before[i], is);
              agree(one.notified, isNews ? [[one.last, is]] : []);
              one.last = is;
            }
          }
        }
        // Every watcher hears of errors itself.
        expect(problems).toEqual([]);
      },
    ),
    { numRuns: runs(150) },
  );
  if (longMode) console.log('operations:', Object.fromEntries(tally));
});

test('who only looked whether something is an object hears when it is one no more', () => {
  const thing = store('thing', { box: { n: 1 } as { n: number } | number[] | null });
  const put = thing.action('put', (draft, box: { n: number } | number[] | null) => {
    draft.box = box;
  });
  const is = thing.selector('is', ({ box }) => (box === null ? 'nothing' : Array.isArray(box) ? 'list' : 'object'));
  const runtime = createRuntime({ stores: [thing] });
  const notified: string[] = [];
  runtime.watch(is, (now) => notified.push(now));
  for (const next of [{ n: 2 }, null, { n: 3 }, [1], [2], { n: 4 }]) runtime.dispatch(put(next));
  expect(notified).toEqual(['nothing', 'object', 'list', 'object']);
});
