// What follows steps beyond what a trace records: selectors that were computed, watchers that were notified, storages that
// were written. It is observed while an inspector is attached, and kept for the newest steps, by reference.
import {
  type Computation,
  type Extensible,
  isBranch,
  isWatched,
  listen,
  type LiveSource,
  liveSources,
  observeIn,
  sameData,
  stopwatch,
} from '../../core/internal.js';
import type { Observed } from '../protocol/protocol.js';
import { Writes, type Kept, type Written } from './stored.js';
import { argumentsText } from '../history/words.js';
import type { ObservedFigures } from '../history/figures.js';
import { KnownDifferences } from '../history/differences.js';
import { valueShown } from '../history/values.js';

/** Details of so many steps are kept. */
const MOST_OBSERVED = 2000;
/** Of one step, so many computations are kept; all are counted. */
const MOST_COMPUTED = 500;
/** Of so many derived values it is told what is different in them. */
const MOST_DIFFERENCES = 12;

interface Seen {
  readonly computed: (Computation & { readonly reader: object })[];
  computedCount: number;
  forNothing: number;
  notified: number;
  readonly stored: { readonly store: string; readonly after: number }[];
}

/** How often a derived value was computed, and how long. */
export interface Costs {
  computed: number;
  forNothing: number;
  /** Milliseconds, with those of what it asked for meanwhile; and without. */
  took: number;
  own: number;
  /** The longest time of its own. */
  longest: number;
  lastTook: number;
  lastSeq: number;
}

export class Observing {
  private readonly seen = new Map<number, Seen>();
  readonly costs = new WeakMap<object, Costs>();
  /** How many watchers were notified, by what they watch. */
  private readonly notifiedOf = new WeakMap<object, number>();
  readonly numbered = new Numbered();
  private readonly differences = new KnownDifferences();
  private readonly nesting = new Nesting();
  /** The newest step. */
  private seq = -1;
  /** The first step that is observed. */
  private readonly from: number;
  /** What the storages wrote; absent where nothing is kept. */
  readonly writes: Writes | undefined;
  private readonly stops: (() => void)[];

  /** @param next the number of the next step */
  constructor(
    private readonly host: Extensible,
    next: number,
    kept: Kept | undefined,
    private readonly how: {
      readonly changed: () => void;
      /** Whether what is computed follows from what is observed: not where only a look at another step computes it. */
      readonly counts: boolean;
    },
  ) {
    this.from = next;
    this.seq = next - 1;
    this.writes = kept && new Writes(host, kept, (changes) => this.written(changes));
    this.stops = [
      observeIn(host, {
        computed: (reader, computation) => this.computed(reader, computation),
        notified: (reader) => this.notified(reader),
      }),
      listen(host, {
        transition: ({ step, changed, time }) => {
          if (step === undefined) return;
          if (step !== this.seq) this.begin(step);
          if (this.writes)
            for (const { store } of changed) if (store.kept) this.writes.wait({ store: store.name, seq: step, time });
        },
      }),
      () => this.writes?.end(),
    ];
  }

  end(): void {
    for (const stop of this.stops) stop();
  }

  private begin(seq: number): void {
    this.seq = seq;
    this.seen.delete(seq - MOST_OBSERVED);
  }

  private seenAt(seq: number): Seen {
    let seen = this.seen.get(seq);
    if (!seen) {
      seen = { computed: [], computedCount: 0, forNothing: 0, notified: 0, stored: [] };
      this.seen.set(seq, seen);
    }
    return seen;
  }

  private computed(reader: object, computation: Computation): void {
    if (!this.how.counts) return;
    const seen = this.seenAt(this.seq);
    seen.computedCount++;
    const isSame = computation.outcome === 'same';
    if (isSame) seen.forNothing++;
    if (seen.computed.length < MOST_COMPUTED) seen.computed.push({ ...computation, reader });
    let costs = this.costs.get(reader);
    if (!costs)
      this.costs.set(
        reader,
        (costs = { computed: 0, forNothing: 0, took: 0, own: 0, longest: 0, lastTook: 0, lastSeq: 0 }),
      );
    costs.computed++;
    if (isSame) costs.forNothing++;
    costs.took += computation.took;
    const own = this.nesting.own(computation.took);
    costs.own += own;
    costs.longest = Math.max(costs.longest, own);
    costs.lastTook = computation.took;
    costs.lastSeq = this.seq;
    this.how.changed();
  }

  private notified(reader: object): void {
    this.notifiedOf.set(reader, (this.notifiedOf.get(reader) ?? 0) + 1);
    this.seenAt(this.seq).notified++;
  }

  private written(changes: readonly Written[]): void {
    for (const { store, seq, after } of changes) {
      if (!this.covers(seq)) continue;
      const { stored } = this.seenAt(seq);
      if (!stored.some((one) => one.store === store)) stored.push({ store, after });
    }
    this.how.changed();
  }

  /** The sources that are kept now. */
  live(): readonly LiveSource[] {
    return liveSources(this.host);
  }

  /** Whether a step was observed. */
  covers(seq: number): boolean {
    return seq >= this.from && seq > this.seq - MOST_OBSERVED;
  }

  /** What followed some steps; nothing where none of them was observed. */
  of(seqs: Iterable<number>, nameOf: (reader: object) => string, most: number): Observed | null {
    const all: Seen[] = [];
    let isObserved = false;
    for (const seq of seqs) {
      if (!this.covers(seq)) continue;
      isObserved = true;
      const seen = this.seen.get(seq);
      if (seen) all.push(seen);
    }
    if (!isObserved) return null;
    const computed = joined(all.flatMap((seen) => seen.computed));
    let described = 0;
    return {
      computed: computed.slice(0, most).map(({ reader, outcome, before, after, took }) => {
        const difference =
          outcome === 'changed' && described++ < MOST_DIFFERENCES ? this.differences.of(before, after) : undefined;
        return {
          id: this.numbered.idOf(reader),
          name: nameOf(reader) || 'a selection',
          outcome,
          before: outcome === 'first' ? null : valueShown(before),
          after: valueShown(after),
          ...(difference !== undefined && { difference }),
          took,
          watched: isWatched(reader),
        };
      }),
      computedCount: all.reduce((sum, seen) => sum + seen.computedCount, 0),
      forNothing: all.reduce((sum, seen) => sum + seen.forNothing, 0),
      notified: all.reduce((sum, seen) => sum + seen.notified, 0),
      stored: all.flatMap((seen) => seen.stored),
    };
  }

  /** What was computed, by name, and who was notified. */
  figures(nameOf: (reader: object) => string): Pick<ObservedFigures, 'selectors' | 'watchers'> {
    const selectors = new Map<string, { count: number; took: number; longest: number }>();
    for (const { reader, name, kind } of this.live()) {
      const costs = this.costs.get(reader);
      if (!costs || kind !== 'selector') continue;
      const known = selectors.get(name) ?? { count: 0, took: 0, longest: 0 };
      known.count += costs.computed;
      known.took += costs.own;
      known.longest = Math.max(known.longest, costs.longest);
      selectors.set(name, known);
    }
    const watchers = new Map<string, number>();
    for (const { reader } of this.live()) {
      const count = this.notifiedOf.get(reader);
      if (count === undefined) continue;
      const name = nameOf(reader) || 'selections';
      watchers.set(name, (watchers.get(name) ?? 0) + count);
    }
    return {
      selectors: Array.from(selectors, ([name, one]) => ({ name, ...one })),
      watchers: Array.from(watchers, ([name, count]) => ({ name, count })),
    };
  }

  /** The readers whose value is another one after some steps. */
  changedBy(seqs: Iterable<number>): Set<object> {
    const all = joined([...seqs].flatMap((seq) => this.seen.get(seq)?.computed ?? []));
    return new Set(all.filter(({ outcome }) => outcome === 'changed').map(({ reader }) => reader));
  }
}

/** Derived values by number. */
class Numbered {
  private readonly ids = new WeakMap<object, number>();
  private readonly readers = new Map<number, WeakRef<object>>();
  private lastId = 0;

  /** The number by which a derived value is named on the link. */
  idOf(reader: object): number {
    let id = this.ids.get(reader);
    if (id === undefined) {
      this.ids.set(reader, (id = ++this.lastId));
      this.readers.set(id, new WeakRef(reader));
    }
    return id;
  }
  readerOf(id: number): object | undefined {
    return this.readers.get(id)?.deref();
  }
}

/** Milliseconds: clocks are read a little later than the work began and ended. */
const CLOSE = 0.05;

/**
 * Tells the time that a computation took itself from the time of those that it asked for: these began after it, and have
 * ended before it.
 */
class Nesting {
  private readonly ended: { readonly began: number; readonly took: number }[] = [];

  /** @param took milliseconds of a computation that ends now */
  own(took: number): number {
    const began = stopwatch() - took;
    let inside = 0;
    for (let last = this.ended.at(-1); last && last.began >= began - CLOSE; last = this.ended.at(-1)) {
      inside += last.took;
      this.ended.pop();
    }
    if (this.ended.length > MOST_OPEN) this.ended.splice(0, MOST_OPEN / 2);
    this.ended.push({ began, took });
    return Math.max(0, took - inside);
  }
}
/** Those that nothing asked for stay until as many have come since. */
const MOST_OPEN = 1000;

/** One computation a reader: the value before the first, and after the last; those that changed come first. */
function joined(
  all: readonly (Computation & { readonly reader: object })[],
): (Computation & { readonly reader: object })[] {
  const byReader = new Map<object, Computation & { readonly reader: object }>();
  for (const one of all) {
    const known = byReader.get(one.reader);
    if (!known) {
      byReader.set(one.reader, one);
      continue;
    }
    const outcome = known.outcome === 'first' ? 'first' : one.outcome === 'same' ? known.outcome : one.outcome;
    byReader.set(one.reader, { ...known, outcome, after: one.after, took: known.took + one.took });
  }
  // What came to the same in the end changed nothing.
  for (const [reader, one] of byReader)
    if (one.outcome === 'changed' && isReturned(one)) byReader.set(reader, { ...one, outcome: 'same' });
  const weight = { failed: 0, changed: 1, first: 2, same: 3 } as const;
  return [...byReader.values()].sort((a, b) => weight[a.outcome] - weight[b.outcome]);
}

const isReturned = ({ before, after }: Computation): boolean =>
  Object.is(before, after) || (isBranch(before) && isBranch(after) && sameData(before, after));

/** The name of a source with its arguments. */
export const sourceName = ({ name, args }: Pick<LiveSource, 'name' | 'args'>): string =>
  name + (args.length > 0 ? `(${argumentsText(args)})` : '');
