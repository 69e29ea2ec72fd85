// What views make of values that are nothing or equal, what rows are known by, and how it all looks on a console.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { inspect } from 'node:util';
import { createRuntime } from 'floe';
import { byKind, entity, listOf, rowOf, tables } from 'floe/entities';
import { failure } from '../support/failures.js';
import { runs } from '../support/runs.js';

interface Tide {
  id: string;
  at: unknown;
}
const tide = entity('tide', rowOf<Tide>(), { key: 'id' });
const someMoment = fc.oneof(
  fc.constantFrom(undefined, null, Number.NaN, new Date(Number.NaN), -0, 0, '', 'b', true, 7n),
  fc.nat(3).map((day) => new Date(day)),
  fc.nat(3),
  fc.nat(2).map((key) => ({ kind: 'berth', key: `N${key}` })),
  fc.nat(2).map((key) => ({ key: `N${key}`, kind: 'berth' })),
);
/** The nothings, in the order in which they come last. */
const nothing = (value: unknown): number =>
  value === undefined
    ? 1
    : value === null
      ? 2
      : Number.isNaN(value)
        ? 3
        : Number.isNaN(Number(value as Date)) && value instanceof Date
          ? 4
          : 0;

test('rows without a value come last in both orders, and groups are those of equal values', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(12), someMoment), { maxLength: 30 }),
      fc.array(fc.nat(12), { maxLength: 10 }),
      (moments, removed) => {
        const port = tables('port', [tide]);
        const lived = createRuntime({ stores: [port] });
        const groups = port.all(tide, { group: 'at' });
        const shapes = (runtime: typeof lived): unknown =>
          runtime.read(groups).map(({ key, rows }) => ({ key, ids: rows.map(({ id }) => id) }));
        for (const [i, [n, at]] of moments.entries()) {
          lived.dispatch(port.put(tide, { id: `t${n}`, at }));
          if (i % 3 === 0) lived.read(groups);
        }
        lived.dispatch(
          port.remove(
            tide,
            removed.map((n) => `t${n}`),
          ),
        );
        const rows = [...lived.read(port).tide.values()];
        const fresh = createRuntime({ stores: [port] });
        fresh.dispatch(port.put(tide, rows));
        expect(shapes(lived)).toEqual(shapes(fresh));
        const found = lived.read(groups).map(({ key }) => key);
        const distinct = rows.filter(({ at }, i) => !rows.slice(0, i).some((one) => equal(one.at, at)));
        expect(found).toHaveLength(distinct.length);
        expect(found.map(nothing)).toEqual(found.map(nothing).sort());
        for (const order of ['ascending', 'descending'] as const) {
          const sorted = lived.read(port.all(tide, { sort: { by: 'at', order } })).map(({ at }) => nothing(at));
          expect(sorted).toEqual([...sorted].sort());
        }
      },
    ),
    { numRuns: runs(300) },
  );
});

function equal(a: unknown, b: unknown): boolean {
  try {
    expect(a === 0 ? 0 : a).toEqual(b === 0 ? 0 : b);
    return typeof a === typeof b && (a === null) === (b === null);
  } catch {
    return false;
  }
}

describe('the key of a row', () => {
  const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
  const slack = entity('slack', rowOf<{ day: string; n: number; height: number }>(), { key: ['day', 'n'] });
  const moved = entity('moved', rowOf<{ id: string }>(), { key: 'id', incoming: () => ({ id: 'other' }) });
  const port = tables('port', [berth, slack, moved]);
  const renamed = port.action('renamed', (draft) => void (draft.berth.get('N1')!.id = 'N2'));
  const misplaced = port.action('misplaced', (draft) => void draft.berth.set('N9', { id: 'N8', depth: 1 }));

  test('the key of a row is the one that its fields say', () => {
    const runtime = createRuntime({ stores: [port] });
    runtime.dispatch(port.put(berth, { id: 'N1', depth: 7 }));
    runtime.dispatch(port.put(slack, { day: '2031-03-02', n: 1, height: 2 }));
    const before = runtime.snapshot();
    for (const wrong of [
      () => port.merge(berth, 'N1', { id: 'N2' }),
      () => runtime.dispatch(port.merge(slack, '2031-03-02:1', { n: 2 })),
      () => runtime.dispatch(port.ingest(moved, { id: 'm1' })),
      () => runtime.dispatch(port.ingest({ keys: { berth: ['N3'] }, rows: { berth: [{ id: 'N4', depth: 1 }] } })),
      () => runtime.dispatch(renamed()),
      () => runtime.dispatch(misplaced()),
    ])
      expect(failure(wrong).code).toBe('FLOE_NO_KEY');
    expect(runtime.snapshot()).toEqual(before);
    runtime.dispatch(port.merge(berth, 'N1', { id: 'N1', depth: 8 }));
    runtime.dispatch(port.merge(slack, '2031-03-02:1', { n: 1, height: 3 }));
    expect(runtime.read(port.one(berth, 'N1'))?.depth).toBe(8);
  });

  test('has() says whether a row is there', () => {
    const runtime = createRuntime({ stores: [port] });
    const notified: boolean[] = [];
    runtime.watch(port.has(berth, 'N1'), (now) => notified.push(now), { now: true });
    runtime.dispatch(port.put(berth, { id: 'N1', depth: 7 }));
    runtime.dispatch(port.merge(berth, 'N1', { depth: 8 }));
    runtime.dispatch(port.remove(berth, 'N1'));
    expect(notified).toEqual([false, true, false]);
    expect(failure(() => runtime.dispatch(port.merge(berth, 'N1', { depth: 9 }))).message).toContain(
      "has(berth, 'N1')",
    );
  });
});

test('incoming records may have another type than rows', () => {
  interface Kept {
    id: string;
    at: Date;
    berth: { id: string };
  }
  const berth = entity('berth', rowOf<{ id: string }>(), { key: 'id' });
  const call = entity('call', rowOf<Kept, Omit<Kept, 'at'> & { at: string }>(), {
    key: 'id',
    links: { berth },
    incoming: (response) => ({ ...response, at: new Date(response.at) }),
  });
  const port = tables('port', [berth, call]);
  const runtime = createRuntime({ stores: [port] });
  runtime.dispatch(port.ingest(call, { id: 'c1', at: '2031-03-02T06:40Z', berth: { id: 'N1' } }));
  const at: Date = runtime.read(port.one(call, 'c1'))!.at;
  expect([at.getUTCHours(), runtime.read(port.one(call, 'c1'))?.berth]).toEqual([6, 'N1']);
});

describe('a view of rows that all link to each other', () => {
  const crew = entity('crew', rowOf<{ id: string; knows: unknown[] }>(), {
    key: 'id',
    links: { knows: listOf('crew') },
  });
  const place = entity('place', rowOf<{ kind: 'crew'; id: string; who: unknown }>(), {
    key: 'id',
    links: { who: byKind('kind', { crew }) },
  });
  const ring = (count: number) => {
    const port = tables('port', [crew, place]);
    const runtime = createRuntime({ stores: [port] });
    const ids = Array.from({ length: count }, (_, i) => `c${i}`);
    runtime.dispatch(
      port.put(
        crew,
        ids.map((id) => ({ id, knows: ids.filter((other) => other !== id) })),
      ),
    );
    runtime.dispatch(port.put(place, { kind: 'crew', id: 'p', who: { kind: 'crew', key: 'c0' } }));
    return { port, runtime };
  };

  test('expand refuses a graph with too many ways', () => {
    const { port, runtime } = ring(60);
    for (const source of [port.expand(crew, 'c0', { depth: Infinity }), port.expand(place, 'p', { depth: Infinity })]) {
      const error = failure(() => runtime.read(source as never));
      expect([error.code, error.message.includes('along')]).toEqual(['FLOE_TOO_DEEP', true]);
    }
    expect(runtime.read(port.expand(crew, 'c0', { along: ['knows.knows'] }))!.knows).toHaveLength(59);
    // With fewer links it is a view again.
    runtime.dispatch(port.put(crew, { id: 'c0', knows: [] }));
    expect(runtime.read(port.expand(crew, 'c0', { depth: Infinity }))).toEqual({ id: 'c0', knows: [] });
    const few = ring(7);
    expect(
      JSON.stringify(few.runtime.read(few.port.expand(crew, 'c0', { depth: Infinity }))).split('"id"'),
    ).toHaveLength(1958);
  });
});

test('tables and rows show what they hold on the console of Node.js', () => {
  const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
  const port = tables('port', [berth]);
  const runtime = createRuntime({ stores: [port] });
  expect(inspect(runtime.read(port).berth)).toBe('Table(0) {}');
  runtime.dispatch(
    port.put(
      berth,
      Array.from({ length: 2 }, (_, i) => ({ id: `N${i}`, depth: i })),
    ),
  );
  expect(inspect(runtime.read(port))).toBe(
    "{\n  berth: Table(2) {\n    'N0' => { id: 'N0', depth: 0 },\n    'N1' => { id: 'N1', depth: 1 }\n  }\n}",
  );
  expect(inspect(runtime.read(port.all(berth)))).toBe("Rows(2) [ { id: 'N0', depth: 0 }, { id: 'N1', depth: 1 } ]");
  expect(inspect({ a: { b: { c: { rows: runtime.read(port.all(berth)) } } } })).toContain('[Object]');
  runtime.dispatch(
    port.put(
      berth,
      Array.from({ length: 300 }, (_, i) => ({ id: `N${i}`, depth: i })),
    ),
  );
  expect(inspect(runtime.read(port).berth)).toMatch(/^Table\(300\).*200 more items/s);
  expect(inspect(runtime.read(port.all(berth)))).toMatch(/^Rows\(300\).*200 more items/s);
});
