// Compiled, never run: flat rows, nested answers, views and expanded rows have the types that follow from the entity types.
import { at, createRuntime } from 'floe';
import { byKind, entity, linkTo, listOf, mapOf, rowOf, tableOf, tables, type Rows, type Table } from 'floe/entities';

type Equal<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false;
const is = <T extends true>(): T | undefined => undefined;

interface Operator {
  id: string;
  name: string;
}
interface Vessel {
  hull: string;
  operator: Operator | null;
  sister?: Vessel;
}
interface Visit {
  id: string;
  phase: 'expected' | 'alongside';
  priority: number;
  vessel: Vessel;
  place: { kind: 'berth'; id: string } | { kind: 'road'; id: string };
  pilots: Operator[];
  marks: Record<string, Operator>;
}
const operator = entity('operator', rowOf<Operator>(), { key: 'id' });
const vessel = entity('vessel', rowOf<Vessel>(), { key: 'hull', links: { operator, sister: 'vessel' } });
const berth = entity('berth', rowOf<{ kind: 'berth'; id: string }>(), { key: 'id' });
const road = entity('road', rowOf<{ kind: 'road'; id: string }>(), { key: 'id' });
const visit = entity('visit', rowOf<Visit>(), {
  key: (record) => record.id,
  links: {
    vessel: linkTo(vessel, { removed: 'cascade' }),
    place: byKind('kind', { berth, road }),
    pilots: listOf(operator, { removed: 'unlink' }),
    marks: mapOf(operator),
  },
  incoming: (row) => ({ ...row, priority: row.priority || 1 }),
});
const port = tables('port', [operator, vessel, berth, road, visit]);
const other = entity('other', rowOf<{ id: string }>(), { key: 'id' });
const { read, dispatch } = createRuntime({ stores: [port] });

// @ts-expect-error a key that is no field
entity('x', rowOf<Operator>(), { key: 'ident' });
// @ts-expect-error a rule that there is not
linkTo(vessel, { removed: 'ignore' });

// what comes in is of another type than what is kept
interface Call {
  id: string;
  at: Date;
  vessel: Vessel;
}
const call = entity('call', rowOf<Call, Omit<Call, 'at'> & { at: string; sent: number }>(), {
  key: 'id',
  links: { vessel },
  incoming: ({ sent: _sent, ...response }) => {
    is<Equal<typeof response.vessel, string>>();
    return { ...response, at: new Date(response.at) };
  },
});
const calls = tables('calls', [operator, vessel, call]);
const arrived = read(calls.one(call, 'c1'))!;
is<Equal<typeof arrived.at, Date>>();
is<Equal<typeof arrived.vessel, string>>();
calls.ingest(call, { id: 'c1', at: '2031-03-02', sent: 3 });
// @ts-expect-error a row as it is kept is no answer
calls.ingest(call, { id: 'c1', at: new Date() });
// @ts-expect-error nothing makes a date of the text
entity('call', rowOf<Call, Omit<Call, 'at'> & { at: string }>(), { key: 'id' });
// @ts-expect-error a key that only the answer has
entity('call', rowOf<Call, Call & { sent: number }>(), { key: 'sent' });

// flat rows: links are keys
const row = read(port.one(visit, 'v1'))!;
is<Equal<typeof row.vessel, string>>();
is<Equal<typeof row.pilots, string[]>>();
is<Equal<typeof row.marks, Record<string, string>>>();
is<Equal<typeof row.place.kind, 'berth' | 'road'>>();
const hull = read(port.one(vessel, 'h1'))!;
is<Equal<typeof hull.operator, string | null>>();
is<Equal<typeof hull.sister, string | undefined>>();
// @ts-expect-error a type that these tables do not hold
port.one(other, 'x');

// answers: nested or as keys, whole or in part
dispatch(port.ingest(visit, { id: 'v1', vessel: 'h1', pilots: ['o1', { id: 'o2' }] }));
dispatch(port.ingest(vessel, [{ hull: 'h1', operator: { id: 'o1' } }]));
dispatch(port.ingest(visit, { anything: [] } as unknown, { at: '/anything' }));
// @ts-expect-error a field of another type
port.ingest(visit, { id: 'v1', priority: 'high' });
// @ts-expect-error a nested record with a field of another type
port.ingest(visit, { id: 'v1', vessel: { hull: 7 } });
dispatch(port.merge(visit, 'v1', { phase: 'alongside' }));
// @ts-expect-error a phase that there is not
port.merge(visit, 'v1', { phase: 'sunk' });

// expanded rows
const flat = read(port.expand(visit, 'v1', { depth: 0 }))!;
is<Equal<typeof flat.vessel, string>>();
const one = read(port.expand(visit, 'v1'))!;
one.vessel?.operator?.slice();
one.pilots[0]?.name.slice();
const two = read(port.expand(visit, 'v1', { depth: 2, missing: 'error' }))!;
two.vessel.operator?.name.slice();
two.marks.north!.name.slice();
is<Equal<(typeof two.place)['kind'], 'berth' | 'road'>>();
// @ts-expect-error with null for what is missing, a link may be null
read(port.expand(visit, 'v1', { depth: 2 }))!.vessel.operator;
const along = read(port.expand(visit, 'v1', { along: ['vessel.operator'], missing: 'error' }))!;
along.vessel.operator?.name.slice();
is<Equal<typeof along.pilots, string[]>>();
// @ts-expect-error a path that begins with no link
port.expand(visit, 'v1', { along: ['phase'] });

// views
const all = read(
  port.all(visit, { where: { phase: ['expected'] }, sort: ['priority', { by: 'id', order: 'descending' }] }),
);
is<Equal<typeof all, Rows<NonNullable<typeof row>>>>();
port.all(visit, { where: (one, least: number) => one.priority > least, given: [3] });
// @ts-expect-error what the function takes is not given
port.all(visit, { where: (one, least: number) => one.priority > least, given: ['3'] });
// @ts-expect-error a field that is not there
port.all(visit, { sort: 'arrives' });
// @ts-expect-error a value that the field never has
port.all(visit, { where: { phase: 'sunk' } });
const groups = read(port.all(visit, { group: 'phase' }));
is<Equal<NonNullable<ReturnType<typeof groups.at>>['key'], 'expected' | 'alongside'>>();
const byLevel = read(port.all(visit, { group: (one) => one.priority > 2 }));
is<Equal<NonNullable<ReturnType<typeof byLevel.at>>['key'], boolean>>();

// tables in drafts, and at pointers
port.action('swapped', (draft, id: string) => {
  const found = draft.visit.get(id);
  if (found) found.priority += 1;
  draft.visit.set('v2', { ...row, id: 'v2' });
  // @ts-expect-error a row of another type
  draft.visit.set('v2', { id: 'v2' });
});
const phase = read(at(port, '/visit/v1/phase'));
is<Equal<typeof phase, 'expected' | 'alongside' | undefined>>();
is<Equal<ReturnType<typeof read<Table<Operator>>>, Table<Operator>>>();
// @ts-expect-error a table outside of a change has no setters
read(port).visit.set('v1', row);

// a whole new table: in the next state that a change returns
port.action('cleaned', (draft) => ({ ...draft, road: tableOf<{ kind: 'road'; id: string }>() }));
