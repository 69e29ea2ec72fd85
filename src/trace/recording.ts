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
import { Recorder } from './recorder.js';
import { SOURCE_OF } from './source.js';
import type { RecordingOptions, Trace } from './trace.js';

const MEMBERS: readonly (keyof Trace)[] = [
  ...(['steps', 'step', 'cursor', 'isLive', 'isPaused', 'branches', 'branch', 'actions', 'interactions'] as const),
  ...(['seek', 'back', 'forward', 'live', 'exclude', 'include', 'switchTo', 'import'] as const),
  ...(['nameBranch', 'mark', 'noteInteraction', 'pause', 'resume', 'send'] as const),
  ...(['compareBranches', 'stateAt', 'changes', 'history', 'export', 'lines', 'watch'] as const),
];
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
  checkOptions('recording', options, ['ignore', 'redact', 'limit', 'lines']);
  return { [ATTACH]: (host) => attached(host, options) };
};

function attached(host: Extensible, options: RecordingOptions): Trace {
  const recorder = new Recorder(host, options);
  listen(host, recorder);
  const face = faceOf<Trace, keyof Trace>(recorder, MEMBERS, (name, method) => {
    if (READS.has(name)) return method();
    if (!STAYS.has(name)) host.use(timeTravel).mayMove();
    host.open(`trace.${name}`);
    return host.call(method);
  });
  Object.defineProperty(face, SOURCE_OF, { value: recorder.source });
  return face;
}
