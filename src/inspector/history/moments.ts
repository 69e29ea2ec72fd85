// A moment as the interface shows it: its sentence, what it changed, and the tree of its causes.
import type { Interaction, Step } from '../../trace/index.js';
import type { TraceSource } from '../../trace/internal.js';
import { newerOf } from './newer.js';
import { changesOfSteps } from './changes.js';
import type { CauseShown, ChangeShown, Moment, Observed } from '../protocol/protocol.js';
import type { MomentNote } from './moment-notes.js';
import { Mark } from './step-columns.js';
import type { RunSpan, StepIndex } from './step-index.js';
import { deed, duration, howOf, labelOf, sentenceOf } from './words.js';
import { valueShown } from './values.js';

/** So many lines of a tree are shown, and so many places. */
const MOST_CAUSES = 200;
const MOST_CHANGES = 60;
/** So many steps of a moment are looked at whole. */
const MOST_STEPS = 2000;
/** So many derived values are shown beside the places. */
const MOST_DERIVED = 12;

const LEFT = 'has no end in this branch';

/** What followed some steps, if it was observed. */
export type ObservedOf = (seqs: readonly number[], most: number) => Observed | null;

/** What is known beside the history. */
export interface MomentContext {
  readonly isLive: boolean;
  readonly observedOf: ObservedOf;
  /** Whether a run that has no end here is under way. Default: it is. */
  readonly isUnderWay?: ((run: number) => boolean) | undefined;
  /** It is shown as the newest one: what came since is counted. Default: it is not. */
  readonly isNewest?: boolean;
}

/** A moment, whole. */
export function momentShown(
  number: number,
  source: TraceSource,
  index: StepIndex,
  { isLive, observedOf, isUnderWay, isNewest = false }: MomentContext,
): Moment | null {
  const note = index.moments[number];
  if (!note) return null;
  const positions: number[] = [];
  for (const position of index.stepsOf(number)) {
    positions.push(position);
    if (positions.length >= MOST_STEPS) break;
  }
  const steps = positions.map((position) => source.at(position)!);
  const telling = positions.filter((position) => !index.steps.isQuiet(position));
  const { changes, count } = changesOfSteps(source, telling, MOST_CHANGES);
  const tree = new CauseTree({ note, steps, positions, source, index, isUnderWay });
  const observed = observedOf(
    // What followed a step that is left out is no more.
    steps.flatMap(({ seq, excluded }) => (excluded ? [] : seq)),
    MOST_CAUSES,
  );
  const derived = derivedChanges(observed, steps.at(-1)?.seq ?? 0);
  const failing = steps.find(
    ({ outcome, run }) => outcome === 'failed' || outcome === 'refused' || run?.phase === 'failed',
  );
  const settled = tree.settled;
  const runs = tree.runs.filter(({ phase }) => phase === 'running');
  return {
    number,
    by: note.by,
    time: note.time,
    sentence: sentenceOf({ ...tree.sentenceParts, interaction: note.interaction, isLive, root: steps[0] }, source),
    first: steps[0]?.seq ?? null,
    last: steps.at(-1)?.seq ?? null,
    at: source.at(note.last)?.seq ?? null,
    ...(isAccused(note.interaction) && { expected: true as const }),
    newer: newerOf(number, source, index, isNewest),
    steps: note.steps,
    action: steps.find(({ kind }) => kind === 'action')?.seq ?? null,
    isGrowing: isLive && runs.length > 0,
    outcome: outcomeOf(steps, failing, settled?.step.fact),
    ...(failing?.reason !== undefined && { reason: failing.reason }),
    changes: [...changes, ...derived],
    changeCount: count + derived.length,
    causes: tree.lines.slice(0, MOST_CAUSES),
    causeCount: tree.lines.length,
    statuses: positions.filter((position) => index.steps.marksAt(position) & Mark.status).length,
    coalesced: steps.reduce((sum, step) => sum + (step.count ?? 0), 0),
    between: betweenOf(note, positions.length, index, source),
    observed,
  };
}

/** Whether an action was to be expected: of a control whose kind usually dispatches one, where the page did not change either. */
const isAccused = (interaction: Interaction | undefined): boolean =>
  interaction !== undefined && !interaction.changedPage && interaction.typing === undefined;

function outcomeOf(steps: readonly Step[], failing: Step | undefined, settled: string | undefined): Moment['outcome'] {
  if (steps.length === 0) return 'nothing';
  if (failing) return failing.outcome === 'refused' ? 'refused' : settled === 'reverted' ? 'reverted' : 'failed';
  if (settled === 'reverted') return 'reverted';
  if (steps.some(({ run }) => run?.phase === 'cancelled')) return 'cancelled';
  const [first] = steps;
  return first.outcome;
}

/** How many steps, or actions that are not listed, came between the first and the last step of a moment without belonging to it. */
function betweenOf(note: MomentNote, own: number, index: StepIndex, source: TraceSource): number {
  let count = Math.max(0, note.last - note.first + 1 - own);
  if (count === 0 || count > 1000) return count;
  for (let position = note.first; position <= note.last; position++)
    if (index.has(position) && index.steps.moment(position) < 0) count += (source.at(position)?.count ?? 1) - 1;
  return count;
}

function derivedChanges(observed: Observed | null, seq: number): ChangeShown[] {
  // Those that watchers are notified of, as components. Inline selections have no name to show; the statuses of tasks are
  // in the tree.
  const changed = (observed?.computed ?? []).filter(
    ({ outcome, name, watched, difference }) =>
      watched && outcome === 'changed' && difference !== '' && name !== 'a selection' && !/\.status(Of\(|$)/.test(name),
  );
  return changed.slice(0, MOST_DERIVED).map(({ id, name, before, after, difference }) => ({
    pointer: '',
    label: name,
    before: before ?? valueShown(undefined),
    after: after ?? valueShown(undefined),
    through: [],
    seq,
    derived: { name, id },
    ...(difference !== undefined && { difference }),
  }));
}

/** The causes of the steps of a moment, as a tree in lines. */
class CauseTree {
  readonly lines: CauseShown[] = [];
  /** The runs in it, in the order in which they began. */
  readonly runs: RunSpan[] = [];
  settled: { readonly step: Step; readonly after: number } | undefined;
  private readonly children = new Map<number | 'top', number[]>();

  constructor(
    private readonly of: {
      readonly note: MomentNote;
      readonly steps: readonly Step[];
      readonly positions: readonly number[];
      readonly source: TraceSource;
      readonly index: StepIndex;
      readonly isUnderWay: ((run: number) => boolean) | undefined;
    },
  ) {
    this.arrange();
    const { interaction } = of.note;
    if (interaction)
      this.lines.push({
        depth: 0,
        kind: 'interaction',
        label: deed(interaction),
        detail: '',
        outcome: 'applied',
        seq: null,
      });
    this.write('top', interaction ? 1 : 0);
    this.writeQuiet(interaction ? 1 : 0);
  }

  /** A run; one that ended elsewhere, or never was read to its end, is not under way. */
  private runOf(id: number): RunSpan | undefined {
    const { index, isUnderWay } = this.of;
    const span = index.runs.get(id);
    return span?.phase === 'running' && isUnderWay?.(id) === false ? { ...span, phase: 'left' } : span;
  }

  /** Puts each step below what brought it about. */
  private arrange(): void {
    const known = new Map(this.of.steps.map((step, i) => [step.seq, i]));
    const runs = new Map<number, number>();
    for (const [i, step] of this.of.steps.entries()) {
      const { cause, run, fact, about } = step;
      const own = run && run.id > 0 && fact !== 'runStarted' ? runs.get(run.id) : undefined;
      const byRun = cause.run === undefined ? undefined : runs.get(cause.run);
      const parent = own ?? byRun ?? known.get(cause.step ?? -1) ?? known.get(about ?? -1);
      const key = parent === undefined || parent === i ? 'top' : parent;
      const list = this.children.get(key);
      if (list) list.push(i);
      else this.children.set(key, [i]);
      if (fact === 'runStarted' && run) {
        runs.set(run.id, i);
        const span = this.runOf(run.id);
        if (span) this.runs.push(span);
      }
      if (about !== undefined && (fact === 'confirmed' || fact === 'reverted')) {
        const of = this.of.source.step(about);
        this.settled = { step, after: of ? step.time - of.time : 0 };
      }
    }
  }

  private write(parent: number | 'top', depth: number): void {
    for (const i of this.children.get(parent) ?? []) {
      if (this.lines.length >= MOST_CAUSES * 2) return;
      const step = this.of.steps[i];
      const { run, fact } = step;
      // A run's own ends stand in the line of the run.
      const isRun = fact === 'runStarted' && run !== undefined;
      if (
        run &&
        !isRun &&
        run.id > 0 &&
        fact !== 'runSkipped' &&
        this.of.index.runs.get(run.id)?.moment === this.momentNumber
      ) {
        if (step.run!.phase === 'failed' || step.reason !== undefined) this.lines.push(this.failure(step, depth));
        this.write(i, depth);
        continue;
      }
      if (
        this.of.index.steps.isQuiet(this.of.positions[i]) &&
        !isRun &&
        step.outcome === 'applied' &&
        !this.children.has(i)
      )
        continue;
      this.lines.push(isRun ? this.runLine(step, depth) : this.stepLine(step, depth));
      this.write(i, depth + 1);
    }
  }

  private get momentNumber(): number {
    return this.of.index.steps.moment(this.of.positions[0]);
  }

  private runLine(step: Step, depth: number): CauseShown {
    const span = this.runOf(step.run!.id);
    const end = span?.end === undefined ? undefined : this.of.source.at(span.end);
    const retries = span && span.retries.length > 0 ? `, tried ${span.retries.length + 1} times` : '';
    return {
      depth,
      kind: 'run',
      label: labelOf(step, this.of.source),
      detail: (end ? duration(end.time - step.time) : span?.phase === 'left' ? LEFT : 'under way') + retries,
      outcome:
        !span || span.phase === 'running'
          ? 'running'
          : span.phase === 'done' || span.phase === 'skipped'
            ? 'applied'
            : span.phase === 'left'
              ? 'cancelled'
              : span.phase,
      seq: step.seq,
    };
  }

  private failure(step: Step, depth: number): CauseShown {
    const at = step.stack === undefined ? '' : ` · ${placeInStack(step.stack)}`;
    return {
      depth,
      kind: 'step',
      label: step.reason ?? labelOf(step, this.of.source),
      detail: `step ${step.seq}${at}`,
      outcome: step.run!.phase === 'cancelled' ? 'cancelled' : step.run!.phase === 'failed' ? 'failed' : 'applied',
      seq: step.seq,
    };
  }

  private stepLine(step: Step, depth: number): CauseShown {
    const position = this.of.source.positionOf(step.seq);
    const settled = this.of.index.settled.get(position);
    const since = this.of.note.time === step.time ? '' : `+${duration(step.time - this.of.note.time)}, `;
    const parts = [`${since}step ${step.seq}`];
    if (settled) parts.unshift('shown at once');
    const how = howOf(step)?.replace(/^which /, '');
    if (how !== undefined) parts.unshift(how);
    if (step.fact === 'reverted') parts.push(...(step.problems ?? []));
    return {
      depth,
      kind: 'step',
      label: labelOf(step, this.of.source),
      detail: parts.join(', '),
      outcome: step.fact === 'reverted' ? 'reverted' : step.kind === 'fact' ? 'applied' : step.outcome,
      seq: step.seq,
      ...(step.excluded && { excluded: true as const }),
    };
  }

  /** What came in between, and is no part of it: one grey line. */
  private writeQuiet(depth: number): void {
    const between = betweenOf(this.of.note, this.of.steps.length, this.of.index, this.of.source);
    if (between > 0)
      this.lines.push({
        depth,
        kind: 'quiet',
        label: between === 1 ? '1 other step or update' : `${between} other steps or updates`,
        detail: 'in between, not part of it',
        outcome: 'applied',
        seq: null,
      });
  }

  /** What the sentence is made from: the steps of the first level, and of the runs on it. */
  get sentenceParts(): {
    readonly steps: readonly Step[];
    readonly runs: readonly RunSpan[];
    readonly settled: CauseTree['settled'];
    readonly ended: { readonly step: Step; readonly after: number } | undefined;
  } {
    const top = this.children.get('top') ?? [];
    const chosen: Step[] = [];
    const runs: RunSpan[] = [];
    const take = (i: number, level: number): void => {
      const step = this.of.steps[i];
      if (step.fact === 'runStarted' && step.run) {
        const span = this.runOf(step.run.id);
        if (level === 0) {
          if (span) runs.push(span);
          for (const child of this.children.get(i) ?? []) take(child, 1);
        }
        return;
      }
      if (step.run || step.count !== undefined || step.fact === 'confirmed' || step.fact === 'reverted') return;
      chosen.push(step);
      // Tasks that handle the action belong to what it led to.
      for (const child of this.children.get(i) ?? [])
        if (level === 0 && this.of.steps[child].fact === 'runStarted') take(child, 0);
    };
    for (const i of top) take(i, 0);
    const [first] = runs;
    const end = first?.end === undefined ? undefined : this.of.source.at(first.end);
    const ended = end && { step: end, after: end.time - (this.of.source.at(first.start)?.time ?? end.time) };
    return { steps: chosen, runs, settled: this.settled, ended };
  }
}

/** The first place of a stack that is not in a package: `office.ts:41`. */
function placeInStack(stack: string): string {
  for (const line of stack.split('\n')) {
    const found = /([^/\\(@\s]+\.[cm]?[jt]sx?)(?:\?[^:]*)?:(\d+)/.exec(line);
    if (found && !line.includes('node_modules')) return `${found[1]}:${found[2]}`;
  }
  return '';
}
