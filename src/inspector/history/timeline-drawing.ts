// What stands in a window of time: marks, bars, spans, threads and branches, in pixels.
import type { TraceSource } from '../../trace/internal.js';
import type {
  BarShown,
  BranchRow,
  LaneShown,
  MarkShown,
  SpanShown,
  ThreadShown,
  TimelineShown,
} from '../protocol/protocol.js';
import { Mark } from './step-columns.js';
import type { StepIndex } from './step-index.js';

import { EDGE, type Scale } from './time-scale.js';

/** Pixels: marks that stand closer are one band. */
const CLOSE = 7;
/** Rows of bars. */
const BAR_ROWS = 3;
/** So many bars are drawn. */
const MOST_BARS = 400;
const MOST_BRANCHES = 4;

type Making<T> = { -readonly [K in keyof T]: T[K] };
/** With the moment that it belongs to. */
type Of<T> = T & { readonly moment: number };

/** What stands in a window of time, whichever moment is chosen. */
export class Drawing {
  private readonly marks: MarkShown[] = [];
  private readonly bars: Of<BarShown>[] = [];
  private readonly spans: Of<SpanShown>[] = [];
  private readonly branches: readonly BranchRow[];
  private readonly laneOf = new Map<string, number>();
  private readonly lanesOf = new Map<readonly string[], readonly number[]>();
  private readonly tasks: number;
  readonly matches: ((position: number) => boolean) | undefined;
  /** The last mark of each lane, still open for others that stand close. */
  private readonly open: (Making<MarkShown> | undefined)[] = [];

  constructor(
    private readonly source: TraceSource,
    private readonly index: StepIndex,
    private readonly scale: Scale,
    { lanes, matches }: Pick<Drawing, 'matches'> & { readonly lanes: readonly LaneShown[] },
  ) {
    this.matches = matches;
    for (const [i, { name, kind }] of lanes.entries()) if (kind !== 'tasks') this.laneOf.set(name, i);
    this.tasks = lanes.findIndex(({ kind }) => kind === 'tasks');
    const { fromPosition, toPosition } = scale;
    for (let position = fromPosition; position < toPosition; position++) this.drawStep(position);
    this.drawRuns();
    this.drawSpans();
    this.branches = this.branchRows();
  }

  /** With one moment chosen: its steps stand out, and threads lead to them. */
  with(moment: number | undefined): Pick<TimelineShown, 'marks' | 'bars' | 'spans' | 'threads' | 'branches'> {
    const { marks, bars, spans, branches } = this;
    const highlighted = <T extends object>({ moment: of, ...rest }: Of<T>): T =>
      (of === moment ? { ...rest, chosen: true } : rest) as unknown as T;
    return {
      marks: moment === undefined ? marks : [...marks, ...this.chosenMarks(moment)],
      bars: bars.map(highlighted),
      spans: spans.map(highlighted),
      threads: moment === undefined ? [] : this.threads(moment),
      branches,
    };
  }

  private chosenMarks(moment: number): MarkShown[] {
    const { index, scale } = this;
    const chosen: MarkShown[] = [];
    for (const position of index.stepsOf(moment)) {
      if (position < scale.fromPosition || index.steps.marksAt(position) & (Mark.status | Mark.coalesced)) continue;
      if (position >= scale.toPosition || chosen.length >= MOST_CHOSEN) break;
      const place = { x: this.xAt(position), seq: this.source.at(position)!.seq, outcome: this.outcomeOf(position) };
      for (const lane of this.lanesAt(position)) chosen.push({ lane, ...place, chosen: true });
    }
    return chosen;
  }

  private outcomeOf(position: number): MarkShown['outcome'] {
    const outcome = this.index.steps.outcome(position);
    return this.index.steps.marksAt(position) & Mark.problem && outcome !== 'refused' ? 'failed' : outcome;
  }

  /** The lanes of the stores that a step changed; one that changed nothing stands in the first, since its stores are not known. */
  private lanesAt(position: number): readonly number[] {
    const stores = this.index.steps.storesAt(position);
    let lanes = this.lanesOf.get(stores);
    if (!lanes) this.lanesOf.set(stores, (lanes = stores.flatMap((name) => this.laneOf.get(name) ?? [])));
    if (lanes.length > 0 || this.laneOf.size === 0 || this.index.steps.outcome(position) === 'applied') return lanes;
    return FIRST_LANE;
  }

  private drawStep(position: number): void {
    const { index } = this;
    const marks = index.steps.marksAt(position);
    if (marks & Mark.status) return;
    const x = this.scale.x(index.steps.time(position));
    const outcome = this.outcomeOf(position);
    for (const lane of this.lanesAt(position)) this.mark({ lane, x, outcome }, position, marks);
  }

  private mark({ lane, x, outcome }: Pick<MarkShown, 'lane' | 'x' | 'outcome'>, position: number, marks: number): void {
    const isMatch = this.matches?.(position) ?? false;
    const isCoalesced = (marks & (Mark.coalesced | Mark.muted)) !== 0;
    const known = this.open[lane];
    const count = marks & Mark.coalesced ? (this.source.at(position)?.count ?? 1) : 1;
    if (
      known &&
      x - (known.x1 ?? known.x) < CLOSE &&
      known.outcome === outcome &&
      (known.coalesced ?? false) === isCoalesced &&
      (known.matches ?? false) === isMatch
    ) {
      known.count = (known.count ?? 1) + count;
      known.x1 = x;
      return;
    }
    const made: Making<MarkShown> = {
      lane,
      x,
      seq: this.source.at(position)!.seq,
      outcome,
      ...(isCoalesced && { coalesced: true as const, count }),
      ...(isMatch && { matches: true as const }),
    };
    this.open[lane] = made;
    this.marks.push(made);
  }

  private xAt(position: number): number {
    return this.scale.x(this.index.steps.time(position));
  }

  private drawRuns(): void {
    if (this.tasks < 0) return;
    const { fromPosition, toPosition } = this.scale;
    /** Where the last bar of each row ends. */
    const rows: number[] = new Array<number>(BAR_ROWS).fill(-Infinity);
    for (const run of this.index.runs.values()) {
      if (this.bars.length >= MOST_BARS) return;
      const end = run.end ?? this.index.end;
      if (run.start >= toPosition || end < fromPosition || !this.index.has(Math.max(run.start, this.index.first)))
        continue;
      const x0 = run.start < fromPosition ? 0 : this.xAt(run.start);
      const last = Math.min(end, toPosition - 1);
      const x1 = Math.max(
        x0 + 4,
        run.end === undefined || end >= toPosition ? this.scale.x(this.scale.to) : this.xAt(last),
      );
      let row = rows.findIndex((to) => to <= x0 - 2);
      if (row < 0) row = BAR_ROWS - 1;
      rows[row] = x1;
      this.bars.push({
        row,
        x0,
        x1,
        seq: this.source.at(Math.max(run.start, this.index.first))!.seq,
        label: run.task,
        phase: run.phase === 'left' ? 'cancelled' : run.phase,
        retries: run.retries.filter((at) => this.index.has(at)).map((at) => this.xAt(at)),
        moment: run.moment,
      });
    }
  }

  private drawSpans(): void {
    const { fromPosition, toPosition } = this.scale;
    for (const [position, { position: end, how }] of this.index.settled) {
      if (position >= toPosition || end < fromPosition || !this.index.has(position) || !this.index.has(end)) continue;
      const lane = this.index.steps
        .storesAt(position)
        .map((name) => this.laneOf.get(name))
        .find((one) => one !== undefined);
      if (lane === undefined) continue;
      this.spans.push({
        lane,
        x0: this.xAt(position),
        x1: this.xAt(end),
        seq: this.source.at(position)!.seq,
        settled: how,
        moment: this.index.steps.moment(position),
      });
      if (this.spans.length >= MOST_BARS) return;
    }
  }

  /** From what brought a step of the chosen moment about, to the step. */
  private threads(moment: number): ThreadShown[] {
    const { index, source } = this;
    const threads: ThreadShown[] = [];
    const placeOf = (position: number): { readonly x: number; readonly lane: number } | undefined => {
      if (!index.has(position) || position < this.scale.fromPosition || position >= this.scale.toPosition)
        return undefined;
      const lane =
        index.steps.marksAt(position) & Mark.status
          ? this.tasks
          : index.steps
              .storesAt(position)
              .map((name) => this.laneOf.get(name))
              .find((one) => one !== undefined);
      return lane === undefined || lane < 0 ? undefined : { x: this.xAt(position), lane };
    };
    for (const position of index.stepsOf(moment)) {
      if (threads.length >= MOST_THREADS) break;
      const step = source.at(position)!;
      const { cause, fact, run: ownRun } = step;
      // What a run says of itself stands in its bar.
      if (ownRun?.id === cause.run && ownRun !== undefined) continue;
      if (fact === 'runEnded' || fact === 'confirmed' || fact === 'reverted') continue;
      const run = cause.run === undefined ? undefined : index.runs.get(cause.run);
      const from = run?.start ?? (cause.step === undefined ? undefined : source.positionOf(cause.step));
      const [a, b] = [from === undefined ? undefined : placeOf(from), placeOf(position)];
      if (!a || !b || (a.lane === b.lane && a.x === b.x)) continue;
      // A run dispatches from where its bar stands at that time.
      const x0 = run ? Math.max(a.x, b.x - 10) : a.x;
      threads.push({ x0, lane0: a.lane, x1: b.x, lane1: b.lane, by: run ? 'task' : 'other' });
    }
    return threads;
  }

  private branchRows(): BranchRow[] {
    const { source, index, scale } = this;
    const rows: BranchRow[] = [];
    for (const { id, name } of source.branches) {
      if (id === source.branch || rows.length >= MOST_BRANCHES) continue;
      const { common, steps } = source.stepsOf(id);
      if (steps.length === 0) continue;
      const x0 = index.has(common) ? scale.x(index.steps.time(common)) : EDGE;
      const telling = steps.filter(({ fact, run }) => fact !== 'summed' && !run);
      const marks = spread(telling.map(({ seq, time }) => ({ seq, x: Math.max(x0 + 8, scale.x(time)) })));
      const lane = index.has(common)
        ? (index.steps
            .storesAt(common)
            .map((one) => this.laneOf.get(one))
            .find((one) => one !== undefined) ?? 0)
        : 0;
      rows.push({ id, name, x0, x1: Math.max(x0 + 40, ...marks.map(({ x }) => x)) + 6, lane, marks });
    }
    return rows;
  }
}
const MOST_THREADS = 60;
/** So many steps of the chosen moment stand out. */
const MOST_CHOSEN = 500;
const FIRST_LANE: readonly number[] = [0];

/** Marks with a least distance, as many as fit. */
function spread(
  marks: readonly { readonly seq: number; readonly x: number }[],
): { readonly seq: number; readonly x: number }[] {
  const kept: { readonly seq: number; readonly x: number }[] = [];
  for (const mark of marks) {
    const last = kept.at(-1);
    if (!last || mark.x - last.x >= CLOSE) kept.push(mark);
    if (kept.length >= 200) break;
  }
  return kept;
}
