// What `npm run simulate` bundles: the simulator with one build of Floe.
export { library } from './library.js';
export { played, simulate } from './simulate.js';
export { SpanTable } from './spans.js';
export { tableOf } from './table.js';
