// Steps along time, as the interface draws them: a window of pixels in, marks and bars in pixels out. It costs what is in the
// window, and what comes out is bounded by the pixels.
import type { TraceSource } from '../../trace/internal.js';
import type {
  BarShown,
  BranchRow,
  LaneShown,
  MarkShown,
  Methods,
  SpanShown,
  ThreadShown,
  TimelineShown,
  TimePiece,
} from '../protocol/protocol.js';
import { isStatusStore, Mark, type StepIndex } from './step-index.js';

/** Pixels: marks that stand closer are one band. */
const CLOSE = 7;
/** Pixels that a folded stretch takes. */
const FOLD = 26;
/** Pixels at the edges. */
const EDGE = 14;
/** Rows of bars. */
const BAR_ROWS = 3;
/** The chosen moment takes so much of the width when its surroundings are shown. */
const SHARE = 0.24;
/** The least that it stands for, in milliseconds. */
const LEAST = 1500;
/** So many steps around a moment are drawn. */
const MOST_AROUND = 2000;
/** So many bars are drawn. */
const MOST_BARS = 400;
const MOST_BRANCHES = 4;

type Wanted = Methods['timeline']['params'];

/** Draws a history along time. What does not depend on the chosen moment is kept until the history, or the window, is another one. */
export class TimelineDrawer {
  private key = '';
  private window: Window | undefined;
  private drawn: { readonly key: string; readonly drawing: Drawing } | undefined;

  constructor(
    private readonly source: TraceSource,
    private readonly index: StepIndex,
  ) {}

  /** @param revision of the history: a number that goes up with each change */
  shown(wanted: Wanted, revision: number, matches: ((position: number) => boolean) | undefined): TimelineShown {
    const { source, index } = this;
    const width = Math.max(120, wanted.width);
    const { from, to, around, stores, find, moment } = wanted;
    const key = JSON.stringify([revision, width, from, to, around, find, index.end]);
    if (key !== this.key || !this.window) {
      this.key = key;
      this.window = windowOf(index, scaleFor(wanted, index, width));
      this.drawn = undefined;
    }
    const { scale } = this.window;
    const { lanes, more } = lanesFor(this.window, index, wanted);
    const lanesKey = JSON.stringify([lanes, stores]);
    if (this.drawn?.key !== lanesKey)
      this.drawn = { key: lanesKey, drawing: new Drawing(source, index, scale, lanes, matches) };
    const { drawing } = this.drawn;
    const chosen = moment === undefined ? undefined : index.moments[moment];
    const ends = chosen && chosen.steps > 0 ? momentEnds(index, moment!) : undefined;
    const box = ends
      ? { x0: Math.max(0, scale.x(ends[0]) - 12), x1: Math.min(width, scale.x(ends[1]) + 12) }
      : chosen
        ? { x0: scale.x(chosen.time) - 8, x1: scale.x(chosen.time) + 8 }
        : null;
    const cursorAt = wanted.seq === undefined ? -1 : source.positionOf(wanted.seq);
    return {
      ...{ from: scale.from, to: scale.to, pieces: scale.pieces, lanes, moreLanes: more },
      ...drawing.with(moment),
      chosen: box && box.x1 > 0 && box.x0 < width ? box : null,
      cursor: index.has(cursorAt) ? scale.x(index.time(cursorAt)) : null,
      hasEnd: scale.toPosition >= index.end,
    };
  }
}

function momentEnds(index: StepIndex, moment: number): readonly [number, number] {
  const note = index.moments[moment];
  const first = Math.max(note.first, index.first);
  let to = index.time(Math.max(first, note.last));
  for (const run of index.runs.values())
    if (run.moment === moment && run.end !== undefined && index.has(run.end)) to = Math.max(to, index.time(run.end));
  return [Math.min(note.time, index.time(first)), to];
}

// ---- the scale ----

interface Scale {
  readonly from: number;
  readonly to: number;
  readonly fromPosition: number;
  /** After the last step in it. */
  readonly toPosition: number;
  readonly pieces: readonly TimePiece[];
  x(time: number): number;
}

function scaleFor(wanted: Wanted, index: StepIndex, width: number): Scale {
  const { first, end } = index;
  if (end <= first) return scaleOf([], 0, 0, first, end, width);
  if (wanted.around !== undefined && index.moments[wanted.around]) return aroundMoment(index, wanted.around, width);
  const [start, stop] = [wanted.from ?? index.time(first), wanted.to ?? index.time(end - 1)];
  const fromPosition = index.firstAt(start);
  const toPosition = Math.max(fromPosition, index.firstAfter(stop));
  return fitted(index, fromPosition, toPosition, start, Math.max(stop, start), width);
}

/** All of a window, in which idle stretches are folded: those that would take more than a tenth of what is not idle. */
function fitted(index: StepIndex, from: number, to: number, start: number, stop: number, width: number): Scale {
  const gaps: { readonly from: number; readonly to: number }[] = [];
  let before = start;
  const long = Math.max((stop - start) / 40, 1000);
  for (let position = from; position <= to; position++) {
    const time = position < to ? index.time(position) : stop;
    if (time - before > long) gaps.push({ from: before, to: time });
    if (time > before) before = time;
  }
  // The longest ones first: the others share what is left.
  gaps.sort((a, b) => b.to - b.from - (a.to - a.from));
  const folded: typeof gaps = [];
  let active = stop - start;
  const most = Math.floor(width / FOLD / 3);
  for (const gap of gaps.slice(0, most)) {
    const length = gap.to - gap.from;
    // A window that is mostly one gap is better than a window of folds.
    if (length < (active - length) / 8) break;
    folded.push(gap);
    active -= length;
  }
  folded.sort((a, b) => a.from - b.from);
  const room = Math.max(40, width - 2 * EDGE - folded.length * FOLD);
  const perMs = active > 0 ? room / active : 0;
  return scaleOf(pieced(folded, start, stop, perMs, room), start, stop, from, to, width);
}

/** A moment and what surrounds it: the moment takes a share of the width, and idle stretches before it are folded. */
function aroundMoment(index: StepIndex, moment: number, width: number): Scale {
  const note = index.moments[moment];
  const [begin, end] = note.steps > 0 ? momentEnds(index, moment) : [note.time, note.time];
  let perMs = (width * SHARE) / Math.max(LEAST, end - begin);
  // Where steps are dense, a shorter time is shown: more of them could not be told apart.
  const stepsAround = (): number => index.firstAfter(end + width / perMs) - index.firstAt(begin - width / perMs);
  for (let i = 0; i < 12 && stepsAround() - note.steps > MOST_AROUND; i++) perMs *= 2;
  const idle = (width * 0.12) / perMs;
  // Forward from the moment, a little; then back, as far as there is room.
  let right = end;
  let toPosition = Math.min(index.end, Math.max(note.last + 1, note.first));
  const after = width * 0.2;
  let used = 0;
  const folds: { readonly from: number; readonly to: number }[] = [];
  for (; toPosition < index.end; toPosition++) {
    const time = Math.max(right, index.time(toPosition));
    const gap = time - right;
    const takes = gap > idle ? FOLD : gap * perMs;
    if (used + takes > after) break;
    if (gap > idle) folds.push({ from: right, to: time });
    used += takes;
    right = time;
  }
  let room = width - 2 * EDGE - used - Math.max(width * SHARE, (end - begin) * perMs);
  let left = begin;
  let fromPosition = Math.max(index.first, Math.min(note.first, index.end));
  for (; fromPosition > index.first; fromPosition--) {
    const time = Math.min(left, index.time(fromPosition - 1));
    const gap = left - time;
    const takes = gap > idle ? FOLD : gap * perMs;
    if (takes > room) break;
    if (gap > idle) folds.push({ from: time, to: left });
    room -= takes;
    left = time;
  }
  folds.sort((a, b) => a.from - b.from);
  const stop = Math.max(right, left + 1);
  const pieces = pieced(folds, left, stop, perMs, width);
  // What is left of the room stands before the first step.
  const last = pieces.at(-1)!;
  const shift = Math.max(0, width - EDGE - 60 - last.x1);
  const moved =
    fromPosition > index.first || shift > 0
      ? pieces.map((piece) => ({ ...piece, x0: piece.x0 + shift, x1: piece.x1 + shift }))
      : pieces;
  return scaleOf(moved, left, stop, fromPosition, toPosition, width);
}

function pieced(
  folds: readonly { readonly from: number; readonly to: number }[],
  start: number,
  stop: number,
  perMs: number,
  room: number,
): TimePiece[] {
  const pieces: TimePiece[] = [];
  let at = start;
  let x = EDGE;
  const add = (to: number, idle: boolean): void => {
    if (to <= at && idle) return;
    const takes = idle ? FOLD : perMs > 0 ? (to - at) * perMs : room;
    pieces.push({ from: at, to, x0: x, x1: x + takes, ...(idle && { idle: true as const }) });
    x += takes;
    at = to;
  };
  for (const fold of folds) {
    if (fold.from > at) add(fold.from, false);
    add(fold.to, true);
  }
  if (stop > at || pieces.length === 0) add(stop, false);
  return pieces;
}

function scaleOf(
  pieces: readonly TimePiece[],
  from: number,
  to: number,
  fromPosition: number,
  toPosition: number,
  width: number,
): Scale {
  const x = (time: number): number => {
    if (pieces.length === 0) return width / 2;
    let low = 0;
    let high = pieces.length - 1;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (pieces[middle].to < time) low = middle + 1;
      else high = middle;
    }
    const piece = pieces[low];
    const share =
      piece.to > piece.from ? (time - piece.from) / (piece.to - piece.from) : piece.x1 > piece.x0 + FOLD ? 0.5 : 0;
    return Math.round((piece.x0 + Math.min(Math.max(share, -2), 2) * (piece.x1 - piece.x0)) * 10) / 10;
  };
  return { from, to, fromPosition, toPosition, pieces, x };
}

// ---- lanes ----

/** A window of time, and what is in it. */
interface Window {
  readonly scale: Scale;
  /** How many steps in it changed a store. */
  readonly counts: ReadonlyMap<string, number>;
  /** Stores that hold the address of the page. */
  readonly addresses: ReadonlySet<string>;
  readonly hasRuns: boolean;
}

function windowOf(index: StepIndex, scale: Scale): Window {
  /** By list of stores: very many steps have one of a few. */
  const lists = new Map<readonly string[], number>();
  const addresses = new Set<string>();
  let hasRuns = false;
  for (let position = scale.fromPosition; position < scale.toPosition; position++) {
    const marks = index.marksAt(position);
    if (marks & Mark.status) hasRuns = true;
    const stores = index.storesAt(position);
    lists.set(stores, (lists.get(stores) ?? 0) + 1);
    if (marks & Mark.address && stores.length === 1) addresses.add(stores[0]);
  }
  const counts = new Map<string, number>();
  for (const [stores, count] of lists)
    for (const name of stores) if (!isStatusStore(name)) counts.set(name, (counts.get(name) ?? 0) + count);
  return { scale, counts, addresses, hasRuns };
}

/** The stores that have a lane: those of the chosen moment first, then those that changed most. */
function lanesFor(
  { counts, addresses, hasRuns }: Window,
  index: StepIndex,
  { lanes: most = 6, stores: chosen, moment }: Wanted,
): { readonly lanes: readonly LaneShown[]; readonly more: readonly string[] } {
  const inMoment = new Set<string>();
  if (moment !== undefined && counts.size > most)
    for (const position of index.stepsOf(moment)) for (const name of index.storesAt(position)) inMoment.add(name);
  const wanted = chosen ? new Set(chosen) : undefined;
  const names = wanted ? [...index.stores].filter((name) => wanted.has(name)) : [...counts.keys()];
  const count = (name: string): number => counts.get(name) ?? 0;
  const isIn = (name: string): number => Number(inMoment.has(name));
  names.sort((a, b) => isIn(b) - isIn(a) || count(b) - count(a) || (a < b ? -1 : 1));
  const shown = new Set(names.slice(0, wanted ? wanted.size : most));
  const order = [...index.stores].filter((name) => shown.has(name));
  const lane =
    (kind: 'address' | 'store') =>
    (name: string): LaneShown => ({ name, kind });
  return {
    lanes: [
      ...order.filter((name) => addresses.has(name)).map(lane('address')),
      ...order.filter((name) => !addresses.has(name)).map(lane('store')),
      ...(hasRuns ? [{ name: 'tasks', kind: 'tasks' } as const] : []),
    ],
    more: [...index.stores].filter((name) => !isStatusStore(name) && !shown.has(name)),
  };
}

// ---- drawing ----

type Making<T> = { -readonly [K in keyof T]: T[K] };
/** With the moment that it belongs to. */
type Of<T> = T & { readonly moment: number };

/** What stands in a window of time, whichever moment is chosen. */
class Drawing {
  private readonly marks: MarkShown[] = [];
  private readonly bars: Of<BarShown>[] = [];
  private readonly spans: Of<SpanShown>[] = [];
  private readonly branches: readonly BranchRow[];
  private readonly laneOf = new Map<string, number>();
  private readonly lanesOf = new Map<readonly string[], readonly number[]>();
  private readonly tasks: number;
  /** The last mark of each lane, still open for others that stand close. */
  private readonly open: (Making<MarkShown> | undefined)[] = [];

  constructor(
    private readonly source: TraceSource,
    private readonly index: StepIndex,
    private readonly scale: Scale,
    lanes: readonly LaneShown[],
    private readonly matches: ((position: number) => boolean) | undefined,
  ) {
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
      if (position < scale.fromPosition || index.marksAt(position) & (Mark.status | Mark.coalesced)) continue;
      if (position >= scale.toPosition || chosen.length >= MOST_CHOSEN) break;
      const place = { x: this.xAt(position), seq: this.source.at(position)!.seq, outcome: this.outcomeOf(position) };
      for (const lane of this.lanesAt(position)) chosen.push({ lane, ...place, chosen: true });
    }
    return chosen;
  }

  private outcomeOf(position: number): MarkShown['outcome'] {
    const outcome = this.index.outcome(position);
    return this.index.marksAt(position) & Mark.problem && outcome !== 'refused' ? 'failed' : outcome;
  }

  /** The lanes of the stores that a step changed; one that changed nothing stands in the first, since its stores are not known. */
  private lanesAt(position: number): readonly number[] {
    const stores = this.index.storesAt(position);
    let lanes = this.lanesOf.get(stores);
    if (!lanes) this.lanesOf.set(stores, (lanes = stores.flatMap((name) => this.laneOf.get(name) ?? [])));
    if (lanes.length > 0 || this.laneOf.size === 0 || this.index.outcome(position) === 'applied') return lanes;
    return FIRST_LANE;
  }

  private drawStep(position: number): void {
    const { index } = this;
    const marks = index.marksAt(position);
    if (marks & Mark.status) return;
    const x = this.scale.x(index.time(position));
    const outcome = this.outcomeOf(position);
    for (const lane of this.lanesAt(position)) this.mark(lane, x, position, outcome, marks);
  }

  private mark(lane: number, x: number, position: number, outcome: MarkShown['outcome'], marks: number): void {
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
    return this.scale.x(this.index.time(position));
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
        phase: run.phase,
        retries: run.retries.filter((at) => this.index.has(at)).map((at) => this.xAt(at)),
        moment: run.moment,
      });
    }
  }

  private drawSpans(): void {
    const { fromPosition, toPosition } = this.scale;
    for (const [position, { position: end, how }] of this.index.settled) {
      if (position >= toPosition || end < fromPosition || !this.index.has(position) || !this.index.has(end)) continue;
      const lane = this.index
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
        moment: this.index.moment(position),
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
        index.marksAt(position) & Mark.status
          ? this.tasks
          : index
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
      const x0 = index.has(common) ? scale.x(index.time(common)) : EDGE;
      const telling = steps.filter(({ fact, run }) => fact !== 'summed' && !run);
      const marks = spread(telling.map(({ seq, time }) => ({ seq, x: Math.max(x0 + 8, scale.x(time)) })));
      const lane = index.has(common)
        ? (index
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
