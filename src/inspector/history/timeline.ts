// Steps along time, as the interface draws them: a window of pixels in, marks and bars in pixels out. It costs what is in the
// window, and what comes out is bounded by the pixels.
import type { TraceSource } from '../../trace/internal.js';
import type { LaneShown, TimelineShown } from '../protocol/protocol.js';
import { isStatusStore, Mark } from './step-columns.js';
import type { StepIndex } from './step-index.js';
import { momentEnds, scaleFor, type Scale, type Wanted } from './time-scale.js';
import { Drawing } from './timeline-drawing.js';

/** Draws a history along time. What does not depend on the chosen moment is kept until the history, or the window, is another one. */
export class TimelineDrawer {
  private key = '';
  private window: TimelineWindow | undefined;
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
      this.drawn = { key: lanesKey, drawing: new Drawing(source, index, scale, { lanes, matches }) };
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
      cursor: index.has(cursorAt) ? scale.x(index.steps.time(cursorAt)) : null,
      hasEnd: scale.toPosition >= index.end,
    };
  }
}

/** A window of time, and what is in it. */
interface TimelineWindow {
  readonly scale: Scale;
  /** How many steps in it changed a store. */
  readonly counts: ReadonlyMap<string, number>;
  /** Stores that hold the address of the page. */
  readonly addresses: ReadonlySet<string>;
  readonly hasRuns: boolean;
}

function windowOf(index: StepIndex, scale: Scale): TimelineWindow {
  /** By list of stores: very many steps have one of a few. */
  const lists = new Map<readonly string[], number>();
  const addresses = new Set<string>();
  let hasRuns = false;
  for (let position = scale.fromPosition; position < scale.toPosition; position++) {
    const marks = index.steps.marksAt(position);
    if (marks & Mark.status) hasRuns = true;
    const stores = index.steps.storesAt(position);
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
  { counts, addresses, hasRuns }: TimelineWindow,
  index: StepIndex,
  { lanes: most = 6, stores: chosen, moment }: Wanted,
): { readonly lanes: readonly LaneShown[]; readonly more: readonly string[] } {
  const inMoment = new Set<string>();
  if (moment !== undefined && counts.size > most)
    for (const position of index.stepsOf(moment)) for (const name of index.steps.storesAt(position)) inMoment.add(name);
  const wanted = chosen ? new Set(chosen) : undefined;
  const names = wanted ? [...index.steps.stores].filter((name) => wanted.has(name)) : [...counts.keys()];
  const count = (name: string): number => counts.get(name) ?? 0;
  const isIn = (name: string): number => Number(inMoment.has(name));
  names.sort((a, b) => isIn(b) - isIn(a) || count(b) - count(a) || (a < b ? -1 : 1));
  const shown = new Set(names.slice(0, wanted ? wanted.size : most));
  const order = [...index.steps.stores].filter((name) => shown.has(name));
  const lane =
    (kind: 'address' | 'store') =>
    (name: string): LaneShown => ({ name, kind });
  return {
    lanes: [
      ...order.filter((name) => addresses.has(name)).map(lane('address')),
      ...order.filter((name) => !addresses.has(name)).map(lane('store')),
      ...(hasRuns ? [{ name: 'tasks', kind: 'tasks' } as const] : []),
    ],
    more: [...index.steps.stores].filter((name) => !isStatusStore(name) && !shown.has(name)),
  };
}
