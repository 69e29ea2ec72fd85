// The harbour's entity types, for the tests.
import { createRuntime } from 'floe';
import { byKind, entity, linkTo, listOf, rowOf, tables } from 'floe/entities';
import { recording } from 'floe/trace';

export interface Operator {
  id: string;
  name: string;
  flag?: string;
}
export interface Vessel {
  hull: string;
  name: string;
  draught?: number;
  operator: Operator | null;
}
export interface Crew {
  badge: number;
  name: string;
  mentor?: Crew | null;
}
export interface Service {
  id: string;
  kind: string;
  minutes?: number;
  crew?: Crew | null;
}
export interface Place {
  kind: 'berth' | 'anchorage';
  id: string;
  depth?: number;
}
export interface Visit {
  id: string;
  phase: 'expected' | 'alongside' | 'departed';
  arrives: string;
  priority?: number;
  vessel: Vessel;
  place?: Place | null;
  services: Service[];
}

export const operator = entity('operator', rowOf<Operator>(), { key: 'id' });
export const vessel = entity('vessel', rowOf<Vessel>(), { key: 'hull', links: { operator } });
export const crew = entity('crew', rowOf<Crew>(), {
  key: 'badge',
  links: { mentor: linkTo('crew', { removed: 'unlink' }) },
});
export const service = entity('service', rowOf<Service>(), {
  key: 'id',
  links: { crew: linkTo(crew, { removed: 'unlink' }) },
});
export const berth = entity('berth', rowOf<Place>(), { key: 'id' });
export const anchorage = entity('anchorage', rowOf<Place>(), { key: 'id' });
export const visit = entity('visit', rowOf<Visit>(), {
  key: 'id',
  links: {
    vessel: linkTo(vessel, { removed: 'cascade' }),
    place: byKind('kind', { berth, anchorage }),
    services: listOf(service, { removed: 'unlink' }),
  },
});

export const somePort = () => tables('port', [operator, vessel, crew, service, berth, anchorage, visit]);

const ern = { hull: 'h1', name: 'Ern', operator: { id: 'o1', name: 'Tern Line' } };
export const day = [
  {
    id: 'v1',
    phase: 'expected' as const,
    arrives: '06:00',
    vessel: ern,
    place: { kind: 'berth' as const, id: 'N1', depth: 7 },
    services: [{ id: 's1', kind: 'pilot', crew: { badge: 7, name: 'Ada' } }],
  },
  { id: 'v2', phase: 'alongside' as const, arrives: '05:00', vessel: { hull: 'h1', draught: 4 }, services: ['s1'] },
];

export function started() {
  const port = somePort();
  const runtime = createRuntime({ stores: [port], trace: recording() });
  runtime.dispatch(port.ingest(visit, day));
  return { port, runtime };
}
