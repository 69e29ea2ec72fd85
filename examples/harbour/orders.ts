// What `floe explore` tries where tasks run: officers work on the same visits, and the office responds in any order.
//   npx floe explore --model examples/harbour/dist/orders.js
import type { Read, StateReader, TaskCall } from 'floe';
import type { Known } from 'floe/testing';
import { visitsOf } from './office/data.js';
import { assignBerth, berth, loadDay, office, port, visit, type Visit } from './src/model/index.js';

export { stores } from './src/model/index.js';

const day = '2031-03-02';
const [first] = visitsOf(day, 1).filter(({ phase, place }) => phase === 'expected' && place.kind === 'berth');
const places = visitsOf(day, 1).flatMap(({ place }) => (place.kind === 'berth' ? [place] : []));
const [north, south] = places.filter(({ id }, i) => places.findIndex((one) => one.id === id) === i);

/** The office, which knows where each visit lies. */
interface Desk {
  place: typeof north;
}

export const needs = [
  office.outcomes<Desk>({ place: north }, (known) => {
    const visitNow = (): Visit => ({ ...first, place: known.place });
    return {
      visits: () => [[visitNow()]],
      assign: (_id, place) => [
        () => {
          known.place = place === north.id ? north : south;
          return visitNow();
        },
        new Error('The berth is taken.'),
      ],
    };
  }),
];

/** Two berths and a visit arrive; then officers load the day and assign a berth. */
export const examplesWith = (load: (day: string) => TaskCall<unknown>) => [
  (read: StateReader) => {
    const { berth: berths, visit: visits } = read(port);
    if (berths.size === 0) return [port.ingest(berth, [north, south])];
    return visits.size === 0
      ? [port.ingest(visit, [{ ...first, place: north }])]
      : [load(day), assignBerth(first.id, south.id)];
  },
];

export const examples = examplesWith(loadDay);

export const atRest = {
  'the screen shows the berth that the office knows': (read: Read, known: Known): boolean => {
    const row = read(port).visit.get(first.id);
    return row === undefined || row.place.key === known<Desk>(office).place.id;
  },
};
