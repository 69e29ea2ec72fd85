// The demo as it was before `floe explore` looked at it: the visits of a day take the place of what an officer did meanwhile.
//   npx floe explore --model examples/harbour/dist/race.js --save way.jsonl
import { task } from 'floe';
import { examplesWith } from './orders.js';
import { office, port, visit, visits, visitsArrived } from './src/model/index.js';

export { atRest, needs, stores } from './orders.js';

const load = task(visits, 'load', async ({ dispatch, use }, day: string) => {
  dispatch(port.ingest(visit, await use(office).visits(day)));
  dispatch(visitsArrived(day));
});

export const examples = examplesWith(load);
