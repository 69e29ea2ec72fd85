import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { action, createRuntime, type Source } from 'floe';
import { tableOf, type Group, type Rows } from 'floe/entities';
import { recording, replayTrace } from 'floe/trace';
import { failure } from '../support/failures.js';
import { leastLength, longMode, runs } from '../support/runs.js';
import { crew, operator, service, somePort, vessel, visit } from './port.js';

type Fields = Record<string, unknown>;

// ---- ingest and expand ----

// A flat world, nested at random: each time that something comes up, with some of its fields. The model normalises what
// was nested by recursion and assignment, and nests it again.
const field = fc.oneof(fc.constant(undefined), fc.nat(3), fc.constantFrom('', 'a/b', null));
const someFields = fc.record({ name: field, note: field, '__proto__ ': field });
const someWorld = fc.record({
  crew: fc.array(fc.record({ fields: someFields, mentor: fc.option(fc.nat(5)) }), { minLength: 1, maxLength: 6 }),
  services: fc.array(fc.record({ fields: someFields, crew: fc.option(fc.nat(5)) }), { minLength: 1, maxLength: 5 }),
  visits: fc.array(
    fc.record({
      fields: someFields,
      vessel: fc.nat(2),
      services: fc.array(fc.nat(4), { maxLength: 4 }),
      place: fc.nat(4),
    }),
    { minLength: 1, maxLength: 8 },
  ),
  leftOut: fc.infiniteStream(fc.nat(9)),
});

test('expand gives back what ingest took in, nested as it was', () => {
  fc.assert(
    fc.property(someWorld, (world) => {
      const model: Record<string, Map<string, Fields>> = {};
      const say = (type: string, key: string, fields: Fields): string => {
        const table = (model[type] ??= new Map());
        table.set(key, { ...table.get(key), ...fields });
        return key;
      };
      /** Some of a record's fields: what is not said here is said elsewhere or never. */
      const some = (fields: Fields): Fields =>
        Object.fromEntries(
          Object.entries(fields).filter(
            ([, value]) => value !== undefined && (world.leftOut.next().value as number) > 2,
          ),
        );
      // Nests, and tells the model, in document order.
      const nestCrew = (n: number): Fields => {
        const { fields, mentor } = world.crew[n % world.crew.length];
        const said = { badge: n % world.crew.length, ...some(fields) };
        say('crew', String(said.badge), said);
        // Mentors have higher numbers, so that no row is inside of itself.
        const next = mentor === null ? undefined : (n % world.crew.length) + 1 + mentor;
        if (next === undefined || next >= world.crew.length) return said;
        say('crew', String(said.badge), { mentor: String(next) });
        return { ...said, mentor: nestCrew(next) };
      };
      const nestService = (n: number): Fields => {
        const { fields, crew: who } = world.services[n % world.services.length];
        const said = { id: `s${n % world.services.length}`, ...some(fields) };
        say('service', said.id, { ...said, ...(who !== null && { crew: String(who % world.crew.length) }) });
        return who === null ? said : { ...said, crew: nestCrew(who) };
      };
      const response = world.visits.map(({ fields, vessel: hull, services, place }, i) => {
        const said = { id: `v${i % 6}`, ...some(fields) };
        const at = { kind: place % 2 ? 'berth' : 'anchorage', id: `p${place}` };
        say('visit', said.id, {
          ...said,
          vessel: `h${hull}`,
          place: { kind: at.kind, key: at.id },
          services: services.map((n) => `s${n % world.services.length}`),
        });
        say('vessel', `h${hull}`, { hull: `h${hull}`, n: i });
        say(at.kind, at.id, at);
        return { ...said, vessel: { hull: `h${hull}`, n: i }, place: at, services: services.map(nestService) };
      });
      const port = somePort();
      const runtime = createRuntime({ stores: [port] });
      const action = port.ingest(visit, response as never);
      runtime.dispatch(action);
      const state = runtime.read(port) as unknown as Record<string, ReadonlyMap<string, Fields>>;
      for (const [type, table] of Object.entries(state)) {
        expect(Object.fromEntries(table)).toEqual(Object.fromEntries(model[type] ?? []));
        expect(action.payload.keys[type] ?? []).toEqual([...(model[type]?.keys() ?? [])]);
      }
      const nestedCrew = (key: unknown): unknown => {
        const row = key === undefined ? undefined : model.crew.get(key as string)!;
        return row?.mentor === undefined ? row : { ...row, mentor: nestedCrew(row.mentor) };
      };
      const nestedService = (key: string): unknown => {
        const row = model.service.get(key)!;
        return row.crew === undefined ? row : { ...row, crew: nestedCrew(row.crew) };
      };
      for (const [key, row] of model.visit) {
        const { kind, key: at } = row.place as { kind: string; key: string };
        expect(runtime.read(port.expand(visit, key, { depth: Infinity }))).toEqual({
          ...row,
          vessel: model.vessel.get(row.vessel as string),
          place: model[kind].get(at),
          services: (row.services as string[]).map(nestedService),
        });
      }
      // The same again is nothing new, and everything is still the same object.
      const before = runtime.read(port.expand(visit, 'v0', { depth: 3 }));
      if (world.visits.length <= 1) {
        expect(
          runtime.dispatch(port.ingest(visit, runtime.read(port.expand(visit, 'v0', { depth: Infinity })) as never)),
        ).toBe('unchanged');
        expect(runtime.read(port.expand(visit, 'v0', { depth: 3 }))).toBe(before);
      }
    }),
    { numRuns: runs(200) },
  );
});

// ---- views ----

const phases = ['expected', 'alongside', 'departed'] as const;
const kinds = ['put', 'put', 'merge', 'merge', 'remove', 'many', 'drain', 'same', 'readd'];
const someOperation = fc.record({
  kind: fc.constantFrom(...kinds),
  key: fc.nat(40),
  phase: fc.constantFrom(...phases),
  arrives: fc.oneof(
    fc.constantFrom('06:00', '07:00', '08:00'),
    fc.nat(99).map((n) => String(n)),
  ),
  priority: fc.option(fc.nat(3), { nil: undefined }),
});
interface Flat {
  id: string;
  phase: (typeof phases)[number];
  arrives: string;
  priority?: number;
}
const late = (row: { arrives: string }, than: string): boolean => row.arrives > than;
const byPriority = (a: { priority?: number }, b: { priority?: number }): number =>
  (a.priority ?? 9) - (b.priority ?? 9);
const evenId = (row: { id: string }): boolean => Number(row.id.slice(1)) % 2 === 0;

const text = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
const lastIfMissing = (a: number | undefined, b: number | undefined): number =>
  a === undefined || b === undefined ? Number(a === undefined) - Number(b === undefined) : a - b;

test('a maintained view equals one that is filtered, sorted and grouped again', () => {
  const tally: Record<string, number> = {};
  fc.assert(
    fc.property(fc.array(someOperation, { minLength: leastLength, maxLength: 60 }), (program) => {
      const port = somePort();
      const runtime = createRuntime({ stores: [port] });
      const rows = (): Flat[] => [...runtime.read(port).visit.values()] as unknown as Flat[];
      const groups = (all: Flat[], of: (row: Flat) => unknown): { key: unknown; rows: Flat[] }[] =>
        [...new Set(all.map(of))]
          .sort((a, b) =>
            typeof a === 'number' || typeof b === 'number'
              ? lastIfMissing(a as never, b as never)
              : text(a as string, b as string),
          )
          .map((key) => ({ key, rows: all.filter((row) => of(row) === key) }));
      const views: {
        readonly name: string;
        readonly source: Source<unknown>;
        readonly model: (all: Flat[]) => unknown;
      }[] = [
        { name: 'all', source: port.all(visit), model: (all) => all },
        {
          name: 'where field',
          source: port.all(visit, { where: { phase: 'expected' } }),
          model: (all) => all.filter((row) => row.phase === 'expected'),
        },
        {
          name: 'where one of, sorted',
          source: port.all(visit, { where: { phase: ['expected', 'departed'] }, sort: 'arrives' }),
          model: (all) => all.filter((row) => row.phase !== 'alongside').sort((a, b) => text(a.arrives, b.arrives)),
        },
        {
          name: 'given',
          source: port.all(visit, {
            where: late,
            given: ['07:00'],
            sort: [{ by: 'arrives', order: 'descending' }, 'phase'],
          }),
          model: (all) =>
            all
              .filter((row) => late(row, '07:00'))
              .sort((a, b) => text(b.arrives, a.arrives) || text(a.phase, b.phase)),
        },
        {
          name: 'descending, missing last, limited',
          source: port.all(visit, { sort: { by: 'priority', order: 'descending' }, limit: 5 }),
          model: (all) =>
            [...all]
              .sort((a, b) =>
                a.priority === undefined || b.priority === undefined
                  ? lastIfMissing(a.priority, b.priority)
                  : b.priority - a.priority,
              )
              .slice(0, 5),
        },
        {
          name: 'function order in groups',
          source: port.all(visit, { sort: byPriority, group: 'phase', limit: 3 }),
          model: (all) =>
            groups([...all].sort(byPriority), (row) => row.phase).map(({ key, rows }) => ({
              key,
              rows: rows.slice(0, 3),
            })),
        },
        {
          name: 'groups by a function',
          source: port.all(visit, { where: evenId, group: (row) => row.priority }),
          model: (all) => groups(all.filter(evenId), (row) => row.priority),
        },
        {
          name: 'count',
          source: port.count(visit, { where: { phase: 'alongside' } }),
          model: (all) => all.filter((row) => row.phase === 'alongside').length,
        },
      ];
      const plain = (value: unknown): unknown =>
        typeof value === 'number'
          ? value
          : (value as Rows<Flat | Group<Flat>>).map((one) =>
              'rows' in one ? { key: one.key, rows: one.rows.toArray() } : one,
            );
      const notified = new Map<string, number>();
      for (const { name, source } of views)
        runtime.watch(source, () => notified.set(name, (notified.get(name) ?? 0) + 1));
      for (const { kind, key, phase, arrives, priority } of program) {
        tally[kind] = (tally[kind] ?? 0) + 1;
        const id = `v${key}`;
        const row = { id, phase, arrives, ...(priority !== undefined && { priority }), vessel: 'h1', services: [] };
        const before = views.map(({ source }) => runtime.read(source));
        const was = before.map(plain);
        notified.clear();
        if (kind === 'put') runtime.dispatch(port.put(visit, row));
        else if (kind === 'many')
          runtime.dispatch(
            port.put(
              visit,
              Array.from({ length: key }, (_, i) => ({ ...row, id: `v${i}`, arrives: `0${i % 7}:00` })),
            ),
          );
        else if (kind === 'drain')
          runtime.dispatch(
            port.remove(
              visit,
              Array.from({ length: key }, (_, i) => `v${i}`),
            ),
          );
        else if (kind === 'remove') runtime.dispatch(port.remove(visit, id));
        else if (kind === 'readd') {
          runtime.batch(() => {
            runtime.dispatch(port.remove(visit, id));
            runtime.dispatch(port.put(visit, row));
          });
        } else if (runtime.read(port).visit.has(id))
          runtime.dispatch(port.merge(visit, id, kind === 'same' ? { id } : { phase, arrives }));
        for (const [i, { name, source, model }] of views.entries()) {
          const value = runtime.read(source);
          const is = plain(value);
          const wanted = model(rows());
          if (JSON.stringify(is) !== JSON.stringify(wanted)) expect({ name, is }).toEqual({ name, is: wanted });
          // A result that is the same keeps its identity, and no watcher is notified.
          const same = JSON.stringify(is) === JSON.stringify(was[i]);
          const untouched = same && kind !== 'put' && kind !== 'many' && kind !== 'readd';
          if (untouched && value !== before[i]) expect(`${name} made again`).toBe('the same');
          if (value === before[i] && notified.has(name)) expect(`${name} notified`).toBe('not notified');
          if (value !== before[i] && !notified.has(name)) expect(`${name} not notified`).toBe('notified');
        }
      }
    }),
    { numRuns: runs(150) },
  );
  if (longMode) console.log('operations:', tally);
});

// ---- removal ----

test('no removal leaves a link that leads nowhere', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(5), fc.nat(3), fc.array(fc.nat(4), { maxLength: 3 })), { maxLength: 8 }),
      fc.array(
        fc.tuple(
          fc.constantFrom(vessel, crew, service, visit, operator),
          fc.nat(5),
          fc.constantFrom('remove' as const, 'draft' as const, 'returned' as const, 'response' as const),
        ),
        { maxLength: 20 },
      ),
      (visits, removals) => {
        const port = somePort();
        const gone = port.action(
          'gone',
          (draft, { type, key }: { type: 'visit'; key: string }) => void draft[type].delete(key),
        );
        const left = action<readonly ['visit', string]>('left');
        port.when(left, (draft, [type, key]) => void draft[type].delete(key));
        const kept = port.action('kept', (state, { type, key }: { type: 'visit'; key: string }) => ({
          ...state,
          [type]: tableOf([...state[type]].filter(([one]) => one !== key)),
        }));
        const runtime = createRuntime({ stores: [port], trace: recording(), onProblem: () => undefined });
        const response = visits.map(([id, hull, services]) => ({
          id: `v${id}`,
          vessel: { hull: `h${hull}`, operator: { id: `o${hull % 2}` } },
          services: services.map((n) => ({ id: `s${n}`, crew: { badge: n % 2 } })),
        }));
        runtime.dispatch(port.ingest(visit, response));
        for (const [type, n, how] of removals) {
          const key = `${{ vessel: 'h', crew: '', service: 's', visit: 'v', operator: 'o' }[type.name]}${n}`;
          const name = type.name as 'visit';
          const before = runtime.read(port);
          const isLinked = type === operator && [...before.vessel.values()].some((row) => row.operator === key);
          const remove = {
            remove: () => runtime.dispatch(port.remove(type, key)),
            draft: () => runtime.dispatch(gone({ type: name, key })),
            response: () => runtime.dispatch(left([name, key])),
            returned: () => runtime.dispatch(kept({ type: name, key })),
          }[how];
          if (isLinked) expect(failure(remove).code).toBe('FLOE_STILL_LINKED');
          else remove();
          const state = runtime.read(port);
          if (isLinked) expect(state).toBe(before);
          expect(state[name].has(key)).toBe(isLinked);
          for (const { operator: of } of state.vessel.values()) expect(state.operator.has(of!)).toBe(true);
          for (const { vessel: hull, services } of state.visit.values()) {
            expect(state.vessel.has(hull)).toBe(true);
            for (const one of services) expect(state.service.has(one)).toBe(true);
          }
          for (const { crew: badge } of state.service.values()) if (badge) expect(state.crew.has(badge)).toBe(true);
          // Who links to what, found without an index.
          for (const hull of state.vessel.keys()) {
            const linked = [...state.visit].filter(([, row]) => row.vessel === hull);
            expect(runtime.read(port.linkedFrom(vessel, hull))).toEqual(
              linked.map(([from]) => ({ type: 'visit', key: from, link: 'vessel' })),
            );
          }
        }
        // Computed once more, it comes to the same.
        expect(replayTrace(runtime.trace.export(), { stores: [port] }).divergence).toBeUndefined();
      },
    ),
    { numRuns: runs(100) },
  );
});
