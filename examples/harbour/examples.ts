// What `floe explore` tries: two visits that arrive from the office, and all that may happen to them.
//   npx floe explore --model examples/harbour/dist/examples.js
import type { AnyAction, StateReader } from 'floe';
import { visitsOf } from './office/data.js';
import * as model from './src/model/index.js';

export * from './src/model/index.js';

const { berth, berthAssigned, dayPicked, filterPicked, noteWritten, port, shiftEnded, visit } = model;
const { visitCancelled, visitMovedOn, visitRestored } = model;

const [first, second] = visitsOf('2031-03-02', 1).filter(({ phase }) => phase === 'expected');
const at = '2031-03-02T11:00:00.000Z';

/** What may happen to each visit that is there: it moves on, gets a berth, or does not come. */
const ofEachVisit = (read: StateReader): AnyAction[] => {
  const { visit: visits, berth: berths } = read(port);
  return [...visits.values()].flatMap(({ id, phase }) => {
    const next = model.nextPhase[phase];
    const moves = next ? [visitMovedOn({ id, phase: next, at }), visitCancelled(id)] : [];
    const places = [...berths.keys()].map((key) => berthAssigned({ id, berth: key }));
    return [...moves, ...(phase === 'expected' ? places : []), ...(phase === 'cancelled' ? [visitRestored(id)] : [])];
  });
};

export const examples = [
  port.ingest(visit, [first, second]),
  port.ingest(berth, first.place.kind === 'berth' ? first.place : []),
  ofEachVisit,
  port.remove(visit, first.id),
  dayPicked('2031-03-03'),
  filterPicked('alongside'),
  noteWritten('N2 is dredged until noon'),
  shiftEnded(),
];
