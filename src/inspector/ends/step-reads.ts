// What is read of the steps and moments of a history.
import { noSuchStep, type TraceSource } from '../../trace/internal.js';
import type { Step } from '../../trace/index.js';
import { changesOfSteps } from '../history/changes.js';
import { momentShown, type MomentContext, type ObservedOf } from '../history/moments.js';
import type { RowLinks } from '../history/rows.js';
import type { StepIndex } from '../history/step-index.js';
import type { ObservedFigures } from '../history/figures.js';
import type { RunUnderWay } from '../history/task-runs.js';
import { valueShown } from '../history/values.js';
import { causeSentence, labelOf, nameOf } from '../history/words.js';
import type { Methods, Status, StepDetail, StepShown } from '../protocol/protocol.js';

/** So many places of a change are given. */
export const MOST_CHANGES = 100;

/** What an end knows beside the history. */
export interface HistoryContext {
  /** What the application shows. */
  shown(): Pick<Status, 'cursor' | 'isLive' | 'isPaused' | 'isClosed'>;
  readonly isLive: boolean;
  /** What followed steps, if that was observed. */
  readonly observedOf: ObservedOf;
  /** A derived value. */
  derivedValue?(id: number): { readonly value: unknown } | undefined;
  /** How much of the history is read, while it is; and what is wrong with it. */
  reading?(): Pick<Status, 'reading' | 'problem'>;
  /** Resolved when the states of a step can be worked out. */
  stateReady?(position: number): Promise<void> | undefined;
  /** While a file is read: the last position whose states can be worked out at once. */
  near?(): number | undefined;
  /** The runs that are under way in the application. */
  underWay?(): readonly RunUnderWay[];
  /** What costs, beside what is recorded. */
  figures?(): ObservedFigures | Promise<ObservedFigures>;
  /** Links of rows, where the model is known. */
  links?: RowLinks;
}

export class StepReads {
  private readonly sentences = new Map<number, string>();

  constructor(
    private readonly source: TraceSource,
    private readonly index: StepIndex,
    private readonly around: HistoryContext,
  ) {}

  /** Moments may have other numbers now. */
  forget(): void {
    this.sentences.clear();
  }

  position(seq: number): number {
    const position = this.source.positionOf(seq);
    if (position < 0) {
      const [first, last] = [this.source.at(this.source.first), this.source.at(this.source.end - 1)];
      throw noSuchStep(seq, first?.seq ?? 0, last?.seq ?? 0);
    }
    return position;
  }

  /** A step and its position, which is -1 on another branch. */
  at(seq: number): { readonly step: Step; readonly position: number } {
    const step = this.source.step(seq);
    if (!step) this.position(seq);
    return { step: step!, position: this.source.positionOf(seq) };
  }

  async statesAt(position: number): Promise<unknown> {
    await this.around.stateReady?.(position);
    return this.source.statesAt(position);
  }

  shown(step: Step): StepShown {
    const { seq, time, kind, outcome, reason, stores, excluded, note, run } = step;
    const position = this.source.positionOf(seq);
    return {
      seq,
      time,
      kind,
      label: labelOf(step, this.source),
      name: nameOf(step),
      outcome: run?.phase === 'failed' ? 'failed' : run?.phase === 'cancelled' ? 'cancelled' : outcome,
      ...(reason !== undefined && { reason }),
      stores,
      ...(excluded && { excluded }),
      ...(note !== undefined && { note }),
      moment: position < 0 ? -1 : this.index.steps.moment(position),
    };
  }

  async detail({ seq }: { readonly seq: number }): Promise<StepDetail> {
    const { step, position } = this.at(seq);
    const { action, run, took, stack, problems = [], branch, onTrust, orphan, kind, count, group } = step;
    if (position >= 0) await this.around.stateReady?.(position);
    const { changes, count: changeCount } =
      position < 0
        ? { changes: [], count: step.changes.length }
        : changesOfSteps(this.source, [position], MOST_CHANGES);
    return {
      ...this.shown(step),
      position: position - this.source.first,
      cause: causeSentence(step),
      payload: action && 'payload' in action ? valueShown(action.payload) : null,
      arguments: run && run.args.length > 0 ? valueShown(run.args) : null,
      changes,
      changeCount,
      took,
      ...(stack !== undefined && { stack }),
      problems,
      observed: this.around.observedOf([seq], MOST_CHANGES),
      branch,
      ...(onTrust && { onTrust }),
      ...(orphan && { orphan }),
      excludable: kind === 'action' && position >= 0,
      ...(count !== undefined && { count }),
      ...(group !== undefined && { group }),
    };
  }

  async momentOf({ number, seq, newest }: Methods['moment']['params']): Promise<Methods['moment']['result']> {
    const { index } = this;
    let wanted = number;
    if (wanted === undefined && seq !== undefined) {
      const position = this.source.positionOf(seq);
      wanted = position < 0 ? undefined : index.steps.moment(position);
      // A step that belongs to none, as a coalesced one: the one before it.
      for (let at = position; (wanted === undefined || wanted < 0) && at >= index.first; at--)
        wanted = index.steps.moment(at);
    }
    const isNewest = wanted === undefined && (newest ?? true);
    if (isNewest) wanted = this.newestReady();
    if (wanted === undefined || wanted < 0 || wanted >= index.moments.length) return null;
    await this.around.stateReady?.(index.moments[wanted].last);
    return momentShown(wanted, this.source, index, { ...this.context, isNewest });
  }

  private get context(): MomentContext {
    const { isLive, observedOf, underWay } = this.around;
    return { isLive, observedOf, isUnderWay: underWay ? underWayIn(underWay()) : endedElsewhere(this.source) };
  }

  /** The newest moment; while a file is read, the newest one whose states are worked out. */
  private newestReady(): number {
    const { index } = this;
    const near = this.around.near?.();
    if (near === undefined || near >= index.end - 1) return index.notes.newest;
    for (let at = Math.min(near, index.end - 1); at >= index.first; at--) {
      const moment = index.steps.moment(at);
      if (moment >= 0 && index.moments[moment].last <= near) return moment;
    }
    return index.notes.newest;
  }

  /** The sentence of the moment of a step. */
  becauseOf(step: Step): string {
    const position = this.source.positionOf(step.seq);
    const moment = position < 0 ? -1 : this.index.steps.moment(position);
    if (moment < 0) return causeSentence(step);
    const known = this.sentences.get(moment);
    if (known !== undefined) return known;
    const note = this.index.moments[moment];
    // A moment of very many steps would be put together for each.
    if (note.steps > 200) return causeSentence(step);
    const sentence =
      momentShown(moment, this.source, this.index, { ...this.context, observedOf: () => null })?.sentence ?? '';
    this.sentences.set(moment, sentence);
    return sentence;
  }
}

const underWayIn = (runs: readonly RunUnderWay[]): ((run: number) => boolean) => {
  const ids = new Set(runs.map(({ id }) => id));
  return (run) => ids.has(run);
};

/** In a file: unless another branch holds its end. */
function endedElsewhere(source: TraceSource): (run: number) => boolean {
  const others = source.branches.filter(({ id }) => id !== source.branch);
  return (run) =>
    !others.some(({ id }) => source.stepsOf(id).steps.some((step) => step.run?.id === run && step.fact === 'runEnded'));
}
