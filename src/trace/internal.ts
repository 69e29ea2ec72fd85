// What the other parts of Floe use of this one besides its public entry. Nothing else of it is imported from outside.
export { noSuchStep, notATrace } from './errors.js';
export { checkpointLine, encodePatch, stepLine, traceLines } from './file.js';
export { lineOf, readTrace, traceOf, TraceReader } from './file-reading.js';
export { ValueTrail, changesOf } from './history.js';
export type { ValueChange } from './history.js';
export { changedPlaces } from './places.js';
export { literal } from './literal.js';
export { recompute, type Recomputing } from './recompute.js';
export { Redaction } from './redaction/redaction.js';
export { REDACTED } from './redaction/secrets.js';
export { sourceFor, sourceOf } from './source.js';
export type { TraceSource } from './source.js';
export { phaseIn, settledBy } from './step.js';
export { patched } from './kept-states.js';
export { Timeline } from './timeline.js';
export type { Known, States } from './kept-states.js';
export { declaredTitle, withTitles } from './titles.js';
export type { Trace } from './trace.js';
