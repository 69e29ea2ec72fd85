// floe/trace: the recorded history of a runtime.
export { recording } from './recording.js';
export { readTrace } from './file-reading.js';
export { compareTraces } from './compare.js';
export { replayTrace } from './replay.js';
export { givenText, writeTest } from './write-test.js';
export { undoStack } from './undo-stack.js';
export { causeOf, titleOf } from './step.js';

export type { Trace, ImportOptions, RecordingOptions } from './trace.js';
export type { InteractionEnd, NotedInteraction } from './interactions.js';
export type { GivenTrace, TraceFile } from './file-reading.js';
export type { Comparison } from './compare.js';
export type { Divergence, Replay, ReplayOptions } from './replay.js';
export type { WriteTestOptions } from './write-test.js';
export type { UndoResult, UndoStack, UndoStackOptions } from './undo-stack.js';
export type { ValueChange } from './history.js';
export type { RedactOptions } from './redaction/rules.js';
export type { States } from './kept-states.js';
export type { CallOfStory, FindingKind, RecordedFailure, RecordedStory, ResponseOfStory, StoryStep } from './story.js';
export type {
  Step,
  StepCause,
  Branch,
  Application,
  Interaction,
  TraceHeader,
  CheckpointLine,
  BranchLine,
  InteractionLine,
} from './step.js';
