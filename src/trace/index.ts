// floe/trace: the recorded history of a runtime.
export { recording } from './recording.js';
export { readTrace, TraceReader } from './file.js';
export { TRACE_VERSION, causeOf, titleOf } from './step.js';

export type { Trace, RecordingOptions } from './recording.js';
export type { TraceFile } from './file.js';
export type { Step, StepCause, Branch, TraceHeader } from './step.js';
