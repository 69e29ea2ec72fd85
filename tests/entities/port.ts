// The harbour's entity types, for the tests.
import { byKind, entity, linkTo, listOf, rowOf, tables } from 'floe/entities';

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
