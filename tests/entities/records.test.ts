// Nested records in and out: ingest, bad responses, expand, removal, and real-world data.
import { describe, expect, test } from '@jest/globals';
import type { StandardSchemaV1 } from '@standard-schema/spec';
import { createRuntime, store } from 'floe';
import { entity, rowOf, tableOf, tables, type Table } from 'floe/entities';
import { recording } from 'floe/trace';
import { failure } from '../support/failures.js';
import { berth, crew, day, operator, somePort, started, vessel, visit, type Crew } from './port.js';

describe('ingest', () => {
  test('a row in which nothing differs keeps its identity, and no watcher is notified', () => {
    const { port, runtime } = started();
    const before = runtime.read(port);
    const reported: unknown[] = [];
    runtime.watch(port, () => reported.push('port'));
    expect(runtime.dispatch(port.ingest(visit, structuredClone(day)))).toBe('unchanged');
    expect(runtime.read(port)).toBe(before);
    runtime.dispatch(port.ingest(vessel, { hull: 'h1', name: 'Ern II' }));
    expect(reported).toEqual(['port']);
    expect(runtime.read(port).visit).toBe(before.visit);
    expect(runtime.trace.steps.at(-1)!.changes).toEqual([
      { op: 'replace', path: '/port/vessel/h1/name', value: 'Ern II' },
    ]);
  });

  test('ingest takes records under a path, and other stores handle its keys', () => {
    const port = somePort();
    const arrivals = store('arrivals', { keys: [] as readonly string[] });
    arrivals.when(port.ingest, (draft, { keys }) => {
      draft.keys = keys.visit;
    });
    const runtime = createRuntime({ stores: [port, arrivals] });
    const page = { total: 2, data: { 'visits/today': day } };
    const action = port.ingest(visit, page, { at: '/data/visits~1today' });
    expect(port.ingest.made(action)).toBe(true);
    runtime.dispatch(action);
    expect(runtime.read(arrivals)).toEqual({ keys: ['v1', 'v2'] });
  });

  test('incoming shapes a row, and join decides where two records meet', () => {
    const tide = entity('tide', rowOf<{ hour: string | Date; metres: number; seen?: number }>(), {
      key: ['hour', 'metres'],
      incoming: (row) => ({ ...row, hour: new Date(row.hour) }),
      join: (older, newer) => ({ ...older, ...newer, seen: (older.seen ?? 1) + 1 }),
    });
    const tides = tables('tides', [tide]);
    const runtime = createRuntime({ stores: [tides] });
    const hour = '2031-03-02T06:00:00.000Z';
    runtime.dispatch(tides.ingest(tide, [{ hour, metres: 2 }]));
    const key = '2031-03-02T06%3A00%3A00.000Z:2';
    expect(tide.keyOf({ hour, metres: 2 })).toBe(key);
    expect(runtime.read(tides.one(tide, key))).toEqual({ hour: new Date(hour), metres: 2 });
    runtime.dispatch(tides.ingest(tide, { hour, metres: 2 }));
    expect(runtime.read(tides.one(tide, key))?.seen).toBe(2);
  });

  test('100,000 levels do not overflow the stack', () => {
    const port = somePort();
    const runtime = createRuntime({ stores: [port] });
    let record: Crew = { badge: 0, name: 'the first' };
    for (let badge = 1; badge < 100_000; badge++) record = { badge, name: 'one', mentor: record };
    runtime.dispatch(port.ingest(crew, record));
    expect(runtime.read(port.count(crew))).toBe(100_000);
    expect(runtime.read(port.one(crew, 99_999))?.mentor).toBe('99998');
    expect(failure(() => runtime.read(port.expand(crew, 99_999, { depth: Infinity }))).code).toBe('FLOE_TOO_DEEP');
  });

  test('keys like __proto__ and constructor are ordinary keys', () => {
    const port = somePort();
    const runtime = createRuntime({ stores: [port], trace: recording() });
    const odd = JSON.parse(
      '[{"id":"__proto__","note":{"__proto__":{"polluted":true}}},{"id":"constructor"},{"id":"prototype"}]',
    ) as never;
    runtime.dispatch(port.ingest(operator, odd));
    expect(runtime.read(port).operator.size).toBe(3);
    expect(({} as { polluted?: boolean }).polluted).toBeUndefined();
    expect(runtime.read(port.one(operator, '__proto__'))).toEqual(odd[0]);
    expect(runtime.read(port.one(operator, 'toString'))).toBeUndefined();
    runtime.dispatch(port.remove(operator, '__proto__'));
    runtime.trace.back();
    expect([...runtime.read(port).operator.keys()]).toEqual(['__proto__', 'constructor', 'prototype']);
  });
});

describe('bad responses', () => {
  const self = { badge: 1, name: 'Ada' } as { badge: number; name: string; mentor?: unknown };
  self.mentor = { badge: 2, mentor: self };
  const deep = (): unknown => {
    let value: unknown = {};
    for (let i = 0; i < 100_000; i++) value = [value];
    return value;
  };
  const bad: [what: string, code: string, path: string, response: unknown[]][] = [
    ['no key', 'FLOE_NO_KEY', '/1/vessel', [day[0], { id: 'v9', vessel: { name: 'Nameless' } }]],
    ['a key that is no key', 'FLOE_NO_KEY', '/0', [{ id: { not: 'a key' } }]],
    [
      'a key that is NaN',
      'FLOE_NO_KEY',
      '/0/services/0/crew',
      [{ id: 'v9', services: [{ id: 's', crew: { badge: NaN } }] }],
    ],
    ['null among records', 'FLOE_NOT_A_RECORD', '/1', [day[0], null]],
    ['null in a list of links', 'FLOE_NOT_A_RECORD', '/0/services/1', [{ id: 'v9', services: ['s1', null] }]],
    ['a list where a record should be', 'FLOE_NOT_A_RECORD', '/0/vessel', [{ id: 'v9', vessel: [] }]],
    ['a record where a list should be', 'FLOE_NOT_A_RECORD', '/0/services', [{ id: 'v9', services: { id: 's1' } }]],
    ['an unknown kind', 'FLOE_UNKNOWN_KIND', '/0/place', [{ id: 'v9', place: { kind: 'birth', id: 'N1' } }]],
    [
      'one key of two kinds',
      'FLOE_KIND_CLASH',
      '/1/place',
      [
        { id: 'v8', place: { kind: 'berth', id: 'N1' } },
        { id: 'v9', place: { kind: 'anchorage', id: 'N1' } },
      ],
    ],
    [
      'a key as number and as text',
      'FLOE_KEY_CLASH',
      '/0/services/1/crew',
      [
        {
          id: 'v9',
          services: [
            { id: 's1', crew: { badge: '7' } },
            { id: 's2', crew: { badge: 7 } },
          ],
        },
      ],
    ],
    [
      'a key as number inside a record with the same as text',
      'FLOE_KEY_CLASH',
      '/0/services/0/crew/mentor',
      [{ id: 'v9', services: [{ id: 's1', crew: { badge: '7', mentor: { badge: 7 } } }] }],
    ],
    [
      'a record inside itself',
      'FLOE_CYCLIC_ANSWER',
      '/0/services/0/crew/mentor/mentor',
      [{ id: 'v9', services: [{ id: 's1', crew: self }] }],
    ],
    [
      'what is no plain data',
      'FLOE_NOT_PLAIN_DATA',
      '/0/vessel/on~1off/0',
      [{ id: 'v9', vessel: { hull: 'h1', 'on/off': [() => 1] } }],
    ],
    ['data too deep to look through', 'FLOE_TOO_DEEP', '/0', [{ id: 'v9', remarks: deep() }]],
  ];
  test.each(bad)('%s', (_what, code, path, response) => {
    const { port, runtime } = started();
    const before = runtime.read(port);
    expect(failure(() => runtime.dispatch(port.ingest(visit, response as never)))).toMatchObject({ code, path });
    expect(runtime.read(port)).toBe(before);
    expect(failure(() => port.ingest(visit, { page: response }, { at: '/page' })).path).toBe(`/page${path}`);
    // Or the rest of it is taken, and what was left out is listed.
    const taken = port.ingest(visit, response as never, { skip: true });
    expect(taken.payload.skipped).toEqual([{ path, code, problem: expect.stringContaining(path) }]);
    runtime.dispatch(taken);
  });

  test('ingest refuses a path that leads nowhere and a value that is no record', () => {
    const { port } = started();
    expect(failure(() => port.ingest(visit, { data: {} }, { at: '/data/visits' }))).toMatchObject({
      code: 'FLOE_NOT_A_RECORD',
      path: '/data/visits',
    });
    for (const response of [null, undefined, 'v1', 7])
      expect(failure(() => port.ingest(visit, response as never)).code).toBe('FLOE_NOT_A_RECORD');
  });

  test('with skip, a bad record at a link leaves the link of the row that is there', () => {
    const port = somePort();
    const runtime = createRuntime({ stores: [port] });
    runtime.dispatch(port.ingest(visit, { id: 'v1', vessel: { hull: 'h1', name: 'Ern' }, berth: 'N2' } as never));
    const bad = (id: string) => ({ id, vessel: { name: 'a vessel without a hull' } });
    const taken = port.ingest(visit, [bad('v1'), bad('v2')] as never, { skip: true });
    expect(taken.payload.skipped).toHaveLength(2);
    runtime.dispatch(taken);
    const { visit: visits } = runtime.read(port);
    expect([visits.get('v1')!.vessel, visits.get('v2')!.vessel]).toEqual(['h1', null]);
    // And a good record of the same row in the same response stands.
    const both = [bad('v3'), { id: 'v3', vessel: { hull: 'h1' } }];
    runtime.dispatch(port.ingest(visit, both as never, { skip: true }));
    expect(runtime.read(port).visit.get('v3')!.vessel).toBe('h1');
  });

  test('ingest refuses a number that JSON cannot give exactly as a key', () => {
    const port = somePort();
    const [exact, other] = ['{ "badge": 9007199254740991 }', '{ "badge": 9007199254740993 }'].map(
      (text) => JSON.parse(text) as { badge: number },
    );
    expect(port.ingest(crew, exact as never).payload.keys).toEqual({ crew: ['9007199254740991'] });
    const error = failure(() => port.ingest(crew, [exact, other] as never));
    expect(error).toMatchObject({ code: 'FLOE_NO_KEY', path: '/1' });
    expect(error.message).toContain('as text');
    const nested = { id: 'v1', services: [{ id: 's1', crew: other!.badge }] };
    expect(failure(() => port.ingest(visit, nested as never))).toMatchObject({ path: '/services/0/crew' });
  });

  test('rows by their keys in the place of records, and tables of no pairs: the error says what to write', () => {
    const port = somePort();
    const byKey = { N1: { id: 'N1' }, N2: { id: 'N2' } };
    const said = (work: () => unknown): string => failure(work).message;
    expect(said(() => port.ingest(berth, new Map(Object.entries(byKey)) as never))).toContain('[...map.values()]');
    expect(said(() => port.ingest(berth, byKey as never))).toContain('Object.values(response)');
    expect(said(() => port.ingest(berth, { depth: 7 } as never))).not.toContain('values');
    expect(said(() => tableOf([{ id: 'N1' }] as never))).toContain('list.map((row) => [row.id, row])');
    expect(tableOf(new Map(Object.entries(byKey))).size).toBe(2);
  });

  test('the error of a bad link names the link, and prints no call', () => {
    const { message } = failure(() => somePort().ingest(visit, { id: 'v1', services: 7 } as never));
    expect(message).toContain("should be a list 'services' (found: number)");
    expect(message).not.toContain('ingest(');
  });

  test('the same object twice is no cycle', () => {
    const port = somePort();
    const runtime = createRuntime({ stores: [port] });
    const ada: Crew = { badge: 1, name: 'Ada' };
    runtime.dispatch(
      port.ingest(crew, [
        { badge: 2, name: 'Bo', mentor: ada },
        { badge: 3, name: 'Cy', mentor: ada },
      ]),
    );
    expect(runtime.read(port).crew.size).toBe(3);
  });

  test('a validator sees the flat row as it comes in', () => {
    type Row = { id: string; metres: number };
    const schema: StandardSchemaV1<unknown, Row> = {
      '~standard': {
        version: 1,
        vendor: 'test',
        validate: (value) => {
          const { id, metres } = value as Row;
          return metres > 0
            ? { value: { id, metres: Math.round(metres) } }
            : { issues: [{ message: 'must be positive', path: ['metres'] }] };
        },
      },
    };
    const gauge = entity('gauge', schema, { key: 'id' });
    const gauges = tables('gauges', [gauge]);
    const runtime = createRuntime({ stores: [gauges] });
    runtime.dispatch(gauges.ingest(gauge, { id: 'g1', metres: 2.4 }));
    expect(runtime.read(gauges.one(gauge, 'g1'))).toEqual({ id: 'g1', metres: 2 });
    const wrong = [
      { id: 'g2', metres: 3 },
      { id: 'g3', metres: -1 },
    ];
    expect(() => gauges.ingest(gauge, wrong)).toThrow(
      "The value at /1 is not a valid 'gauge': metres: must be positive.",
    );
    expect(gauges.ingest(gauge, wrong, { skip: true }).payload.keys).toEqual({ gauge: ['g2'] });
  });

  test('an error names the entity type that is missing, and the nearest one', () => {
    expect(() => tables('port', [visit, vessel])).toThrow(/The link 'visit.place' names the entity type 'berth'/);
    const { port } = started();
    expect(() => port.one(entity('vesel', rowOf<{ id: string }>(), { key: 'id' }) as never, 'h1')).toThrow(
      "Did you mean 'vessel'?",
    );
    expect(failure(() => entity('a.b', rowOf(), { key: 'id' as never })).code).toBe('FLOE_BAD_NAME');
    expect(failure(() => vessel.keyOf({ name: 'x' } as never)).code).toBe('FLOE_NO_KEY');
  });
});

describe('expand', () => {
  test('expand shares what did not change, and shows an edit in every view', () => {
    const { port, runtime } = started();
    const full = (id: string) => port.expand(visit, id, { depth: 3, missing: 'error' });
    const [v1, v2] = [runtime.read(full('v1'))!, runtime.read(full('v2'))!];
    expect(v1.vessel).toBe(v2.vessel);
    const reported: string[] = [];
    for (const id of ['v1', 'v2']) runtime.watch(full(id), (now) => reported.push(`${id} ${now!.vessel.name}`));
    runtime.dispatch(port.merge(vessel, 'h1', { name: 'Ern II' }));
    expect(reported.sort()).toEqual(['v1 Ern II', 'v2 Ern II']);
    const after = runtime.read(full('v1'))!;
    expect(after.services).toEqual(v1.services);
    expect(after.services[0]).toBe(v1.services[0]);
    expect(after.vessel.operator).toBe(v1.vessel.operator);
    runtime.dispatch(port.put(berth, { kind: 'berth', id: 'N2' }));
    expect(runtime.read(full('v1'))).toBe(after);
  });

  test('a row inside itself stays a key; a missing target is null or an error', () => {
    const { port, runtime } = started();
    runtime.dispatch(
      port.ingest(crew, [
        { badge: 1, name: 'Ada', mentor: 2 },
        { badge: 2, name: 'Bo', mentor: { badge: 1 } },
      ] as never),
    );
    const all = { depth: Infinity };
    expect(runtime.read(port.expand(crew, 1, all))).toEqual({
      badge: 1,
      name: 'Ada',
      mentor: { badge: 2, name: 'Bo', mentor: '1' },
    });
    // What did not change is shared with the result before.
    const pair = port.expand(crew, 1, all);
    const { mentor } = runtime.read(pair)!;
    runtime.dispatch(port.merge(crew, 1, { name: 'Ada II' }));
    expect(runtime.read(pair)).toMatchObject({ name: 'Ada II' });
    expect(runtime.read(pair)!.mentor).toBe(mentor);
    expect(runtime.read(port.expand(crew, 1, { depth: 2 }))?.mentor).toMatchObject({
      mentor: { badge: 1, mentor: '2' },
    });
    runtime.dispatch(port.ingest(visit, { id: 'v3', vessel: 'h9', services: [] }));
    expect(runtime.read(port.expand(visit, 'v3'))).toEqual({ id: 'v3', vessel: null, services: [] });
    expect(() => runtime.read(port.expand(visit, 'v3', { missing: 'error' }))).toThrow(
      "'vessel' of the visit 'v3' leads to the vessel 'h9'",
    );
  });
});

describe('removal', () => {
  test('clear empties tables, and prune drops rows that the roots do not reach', () => {
    const { port, runtime } = started();
    runtime.dispatch(
      port.put(berth, [
        { kind: 'berth', id: 'N8' },
        { kind: 'berth', id: 'N9' },
      ]),
    );
    expect(failure(() => runtime.dispatch(port.clear(berth))).code).toBe('FLOE_STILL_LINKED');
    runtime.dispatch(port.prune({ visit: ['v2'], berth: ['N9'] }));
    const sizes = (): object =>
      Object.fromEntries(Object.entries(runtime.read(port)).map(([type, table]) => [type, (table as Table).size]));
    expect(sizes()).toEqual({ operator: 1, vessel: 1, crew: 1, service: 1, berth: 1, anchorage: 0, visit: 1 });
    expect(runtime.dispatch(port.prune({ visit: 'all', berth: 'all' }))).toBe('unchanged');
    runtime.dispatch(port.clear(visit, vessel));
    expect(sizes()).toMatchObject({ visit: 0, vessel: 0, operator: 1 });
    runtime.dispatch(port.clear());
    expect(sizes()).toMatchObject({ operator: 0, crew: 0 });
    expect(failure(() => runtime.dispatch(port.merge(visit, 'v1', { arrives: '' }))).code).toBe('FLOE_NO_SUCH_ROW');
  });
});
