// A trace as a file, and a file as the trace of a runtime.
import { checkOptions, type FloeError, guardData, leaveLine, parsePointer } from '../core/internal.js';
import type { Patch } from '../core/index.js';
import type { Cursor } from './cursor.js';
import { interactionsOf } from './reads.js';
import { writtenElsewhere } from './errors.js';
import { traceLines, type TraceContents } from './file.js';
import { traceOf, type GivenTrace, type TraceFile } from './file-reading.js';
import type { Redaction } from './redaction/redaction.js';
import type { TraceSource } from './source.js';
import { statesAt, type TraceState } from './state.js';
import { Timeline } from './timeline.js';
import type { ImportOptions } from './trace.js';
import { withTitles } from './titles.js';
import type { Exclusions } from './what-if.js';

interface TransferParts {
  readonly cursor: Cursor;
  readonly whatIf: Exclusions;
  readonly source: TraceSource;
}

export class Transfer {
  private readonly cursor: Cursor;
  private readonly whatIf: Exclusions;
  private readonly source: TraceSource;

  constructor(
    private readonly state: TraceState,
    { cursor, whatIf, source }: TransferParts,
  ) {
    this.cursor = cursor;
    this.whatIf = whatIf;
    this.source = source;
  }

  lines(): Iterable<string> {
    const { timeline } = this.state;
    const contents: TraceContents = {
      steps: withTitles(this.state.written.freed(timeline.all()), this.source),
      interactions: interactionsOf(this.state),
      folded: timeline.folded,
      states: timeline.folded === null ? undefined : this.state.redaction.freedStates(statesAt(this.state, -1)),
      names: timeline.branches.named.map((one) => ({ ...one, name: this.state.redaction.secrets.message(one.name) })),
      present: timeline.branches.find(timeline.branch),
      redacted: this.state.redaction.rules.places,
      application: this.state.written.application,
    };
    return traceLines(contents, new Date(this.state.host.now()));
  }

  export(): string {
    return Array.from(this.lines(), (line) => line + '\n').join('');
  }

  import(file: GivenTrace, options: ImportOptions = {}): { readonly steps: number; readonly problem?: FloeError } {
    checkOptions('trace.import', options, ['leaveOut']);
    if (this.state.written.write) throw writtenElsewhere();
    const { redaction } = this.state;
    const { leaveOut = [] } = options;
    const whole = leaveOut.length === 0 ? traceOf(file) : withoutStores(traceOf(file), new Set(leaveOut));
    const read = redaction.none ? whole : concealedTrace(whole, redaction);
    const { steps, problem, states, names, interactions } = read;
    const timeline = new Timeline();
    timeline.load(read);
    for (const { id, name } of names) timeline.branches.rename(id, name);
    for (const { action } of steps) guardData(action?.payload, { at: '', what: 'A payload in the trace file' });
    const last = timeline.line.length - 1;
    const live = timeline.states.replayed(states);
    guardData(live, { at: '', what: 'The state in the trace file' });
    // Nothing was touched so far: a file that cannot be replayed throws above.
    leaveLine(this.state.host, () => false, 'import');
    this.state.endSum();
    this.state.timeline = timeline;
    this.state.noteRevised(0);
    this.state.did.load(interactions);
    this.state.sum = undefined;
    this.state.written.application = read.header.application;
    this.state.making.groupShift = steps.reduce(
      (most, { group = 0 }) => Math.max(most, group),
      this.state.making.groupShift,
    );
    const runShift = steps.reduce((most, { run }) => Math.max(most, run?.id ?? 0), this.state.making.runShift);
    this.whatIf.begin(steps);
    this.state.tip = { ...live };
    this.state.host.recorder?.each((listener) => listener.replaced?.());
    this.cursor.show(last);
    // The ends of its runs have the numbers that the file gives them.
    this.state.making.runShift = 0;
    this.state.travel.arrived('import', this.cursor.claimedRuns());
    this.state.making.runShift = runShift;
    return { steps: steps.length, ...(problem && { problem }) };
  }
}

/** A file as it would have been recorded here: what it holds at redacted places came from elsewhere. */
const concealedTrace = (read: TraceFile, redaction: Redaction): TraceFile => ({
  ...read,
  states: Object.fromEntries(
    Object.entries(read.states).map(([name, state]) => [name, redaction.states.conceal(name, state)]),
  ),
  steps: read.steps.map((step) => redaction.stepOfFile(step)),
});

/** A file as if some stores had not been recorded. */
function withoutStores(read: TraceFile, names: ReadonlySet<string>): TraceFile {
  const kept = (patch: Patch): Patch => patch.filter(({ path }) => !names.has(parsePointer(path)[0]));
  return {
    ...read,
    states: Object.fromEntries(Object.entries(read.states).filter(([name]) => !names.has(name))),
    steps: read.steps.map((step) => ({
      ...step,
      stores: step.stores.filter((name) => !names.has(name)),
      changes: kept(step.changes),
      undo: kept(step.undo),
    })),
  };
}
