// Where a time stands, in pixels: stretches in which nothing happens are folded.
import type { Methods, TimePiece } from '../protocol/protocol.js';
import type { StepIndex } from './step-index.js';

/** Pixels that a folded stretch takes. */
const FOLD = 26;
/** Pixels at the edges. */
export const EDGE = 14;
/** The chosen moment takes so much of the width when its surroundings are shown. */
const SHARE = 0.24;
/** The least that it stands for, in milliseconds. */
const LEAST = 1500;
/** So many steps around a moment are drawn. */
const MOST_AROUND = 2000;

export type Wanted = Methods['timeline']['params'];

/** The first and the last time of a moment. */
export function momentEnds(index: StepIndex, moment: number): readonly [number, number] {
  const note = index.moments[moment];
  const first = Math.max(note.first, index.first);
  let to = index.steps.time(Math.max(first, note.last));
  for (const run of index.runs.values())
    if (run.moment === moment && run.end !== undefined && index.has(run.end))
      to = Math.max(to, index.steps.time(run.end));
  return [Math.min(note.time, index.steps.time(first)), to];
}

/** A stretch of time, and the steps in it. */
interface TimeWindow {
  readonly from: number;
  readonly to: number;
  readonly fromPosition: number;
  /** After the last step in it. */
  readonly toPosition: number;
}

export interface Scale extends TimeWindow {
  readonly pieces: readonly TimePiece[];
  x(time: number): number;
}

export function scaleFor(wanted: Wanted, index: StepIndex, width: number): Scale {
  const { first, end } = index;
  if (end <= first) return scaleOf([], { from: 0, to: 0, fromPosition: first, toPosition: end }, width);
  if (wanted.around !== undefined && index.moments[wanted.around]) return aroundMoment(index, wanted.around, width);
  const [start, stop] = [wanted.from ?? index.steps.time(first), wanted.to ?? index.steps.time(end - 1)];
  const fromPosition = index.firstAt(start);
  const toPosition = Math.max(fromPosition, index.firstAfter(stop));
  return fitted(index, { fromPosition, toPosition, from: start, to: Math.max(stop, start) }, width);
}

/** All of a window, in which idle stretches are folded: those that would take more than a tenth of what is not idle. */
function fitted(index: StepIndex, window: TimeWindow, width: number): Scale {
  const { from: start, to: stop } = window;
  const gaps: { readonly from: number; readonly to: number }[] = [];
  let before = start;
  const long = Math.max((stop - start) / 40, 1000);
  for (let position = window.fromPosition; position <= window.toPosition; position++) {
    const time = position < window.toPosition ? index.steps.time(position) : stop;
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
  return scaleOf(pieced(folded, window, perMs, room), window, width);
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
    const time = Math.max(right, index.steps.time(toPosition));
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
    const time = Math.min(left, index.steps.time(fromPosition - 1));
    const gap = left - time;
    const takes = gap > idle ? FOLD : gap * perMs;
    if (takes > room) break;
    if (gap > idle) folds.push({ from: time, to: left });
    room -= takes;
    left = time;
  }
  // All of it fits: then it takes the whole width.
  if (fromPosition === index.first && toPosition === index.end)
    return fitted(index, { from: left, to: right, fromPosition, toPosition }, width);
  folds.sort((a, b) => a.from - b.from);
  const stop = Math.max(right, left + 1);
  const pieces = pieced(folds, { from: left, to: stop }, perMs, width);
  // What is left of the room stands before the first step.
  const last = pieces.at(-1)!;
  const shift = Math.max(0, width - EDGE - 60 - last.x1);
  const moved =
    fromPosition > index.first || shift > 0
      ? pieces.map((piece) => ({ ...piece, x0: piece.x0 + shift, x1: piece.x1 + shift }))
      : pieces;
  return scaleOf(moved, { from: left, to: stop, fromPosition, toPosition }, width);
}

function pieced(
  folds: readonly { readonly from: number; readonly to: number }[],
  { from: start, to: stop }: Pick<TimeWindow, 'from' | 'to'>,
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

function scaleOf(pieces: readonly TimePiece[], window: TimeWindow, width: number): Scale {
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
  return { ...window, pieces, x };
}

// ---- lanes ----
