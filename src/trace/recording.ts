// The trace of a runtime, as `createRuntime` takes it and the application holds it.
import {
  ATTACH,
  type Attachment,
  checkOptions,
  type Extensible,
  faceOf,
  listen,
  timeTravel,
} from '../core/internal.js';
import { Cursor } from './cursor.js';
import { Notes } from './notes.js';
import { sourceIn, TraceReads } from './reads.js';
import { SOURCE_OF } from './source.js';
import { TraceState } from './state.js';
import { StepRecorder } from './step-recorder.js';
import type { RecordingOptions, Trace } from './trace.js';
import { Transfer } from './transfer.js';
import { Exclusions } from './what-if.js';

/** What only reads works on a closed runtime too. */
const READS: ReadonlySet<string> = new Set<keyof Trace>([
  ...(['step', 'compareBranches', 'stateAt', 'changes', 'history', 'export', 'lines', 'watch'] as const),
]);
/** What neither reads only nor moves the cursor. */
const STAYS: ReadonlySet<string> = new Set<keyof Trace>([
  ...(['nameBranch', 'mark', 'noteInteraction', 'pause', 'resume', 'send'] as const),
]);

/**
 * Records every transition of a runtime, so that it can be looked at, moved through and saved.
 * @example
 * const runtime = createRuntime({ stores: [visits], trace: recording() });
 * runtime.dispatch(visitPlanned(visit));
 * runtime.trace.back();
 */
export const recording = (options: RecordingOptions = {}): Attachment<Trace> => {
  checkOptions('recording', options, ['ignore', 'redact', 'limit', 'lines', 'application']);
  if (options.application) checkOptions("recording, option 'application'", options.application, ['name', 'version']);
  return { [ATTACH]: (host) => attached(host, options) };
};

function attached(host: Extensible, options: RecordingOptions): Trace {
  const state = new TraceState(host, options);
  const recorder = new StepRecorder(state, options);
  const cursor = new Cursor(state, () => recorder.foldOld());
  const whatIf = new Exclusions(state, cursor);
  const source = sourceIn(state);
  listen(host, recorder);
  const around = <T>(name: string, method: () => T): T => {
    if (READS.has(name)) return method();
    if (!STAYS.has(name)) host.features.use(timeTravel).mayMove();
    host.open(`trace.${name}`);
    return host.notifications.call(method);
  };
  const reads = [
    'step',
    'isLive',
    'branches',
    'branch',
    'actions',
    'compareBranches',
    'stateAt',
    'changes',
    'history',
    'interactions',
    'watch',
  ] as const;
  const faces = [
    faceOf(state, ['steps', 'cursor', 'isPaused'], around),
    faceOf(new TraceReads(state), reads, around),
    faceOf(cursor, ['seek', 'back', 'forward', 'live', 'switchTo'], around),
    faceOf(whatIf, ['exclude', 'include'], around),
    faceOf(new Notes(state), ['nameBranch', 'mark', 'noteInteraction', 'pause', 'resume', 'send'], around),
    faceOf(new Transfer(state, { cursor, whatIf, source }), ['import', 'export', 'lines'], around),
  ];
  const trace = Object.defineProperty({}, SOURCE_OF, { value: source });
  for (const face of faces) Object.defineProperties(trace, Object.getOwnPropertyDescriptors(face));
  return trace as Trace;
}
