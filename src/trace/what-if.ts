// What if: the line without some steps, and with them again.
import { checkOptions, leaveLine, Model, STAYING, type StoreChange, storesOf } from '../core/internal.js';
import { causedBy } from './causes.js';
import type { Cursor } from './cursor.js';
import { isFact, stepFolded, stillOpen } from './errors.js';
import { PackedStep } from './packing.js';
import { recompute, type Recomputing } from './recompute.js';
import { statesAt, type TraceState } from './state.js';
import type { Step } from './step.js';
import type { States } from './kept-states.js';

export class Exclusions {
  /** What steps threw when they were recorded, and where, as far as any was computed again since. */
  private readonly thrown = new Map<number, { readonly reason: string; readonly stack: string }>();

  constructor(
    private readonly state: TraceState,
    private readonly cursor: Cursor,
  ) {}

  exclude(seq: number, options: { readonly withCaused?: boolean } = {}): void {
    checkOptions('trace.exclude', options, ['withCaused']);
    const { withCaused = false } = options;
    this.count(seq, withCaused, (one) => this.state.excluded.add(one));
  }

  include(seq: number, options: { readonly withCaused?: boolean } = {}): void {
    checkOptions('trace.include', options, ['withCaused']);
    const { withCaused = false } = options;
    this.count(seq, withCaused, (one) => this.state.excluded.delete(one));
  }

  private count(seq: number, withCaused: boolean, change: (seq: number) => void): void {
    const { timeline } = this.state;
    this.state.endSum();
    const index = timeline.indexOf(seq);
    const step = timeline.line.at(index)!;
    if (step.kind === 'fact') throw isFact(seq, step.fact);
    // So long a group that not all of it is kept.
    if (step.group !== undefined && step.group === timeline.line.foldedGroup) throw stepFolded(timeline.folded!, seq);
    // Taking it back later could not be computed any more.
    const open = this.state.host.features.first((hooks) => hooks.pinned?.())?.step;
    if (open !== undefined) throw stillOpen(seq, open);
    const all = timeline.all();
    const chosen = new Set([seq]);
    // Steps that commit or roll back together are left out together.
    if (step.group !== undefined)
      for (const other of all)
        if (!(other instanceof PackedStep) && other.group === step.group && !(other.fact && STAYING.has(other.fact)))
          chosen.add(other.seq);
    if (withCaused) for (const one of causedBy(all, chosen)) chosen.add(one);
    const first = [...chosen].reduce((least, one) => Math.min(least, one));
    const before = statesAt(this.state, timeline.line.indexOf(first) - 1);
    for (const one of chosen) change(one);
    this.revise(first, before, all);
  }

  /** Computes the steps from one on again, on all lines. */
  private revise(first: number, before: States, all: readonly (Step | PackedStep)[]): void {
    const { timeline, host } = this.state;
    const how = this.howToRecompute(all);
    const { line } = timeline;
    const start = line.indexOf(first);
    this.state.noteRevised(start);
    const chains: (Step | PackedStep)[][] = [line.kept(start), ...timeline.chainsAside()];
    const forks = new Set(chains.slice(1).map((chain) => chain[0].after));
    const statesAfter = new Map<number | null, States>([[line.at(start - 1)?.seq ?? timeline.folded, before]]);
    const revised: (Step | PackedStep)[] = [];
    const tellers = this.listeners();
    let live = before;
    timeline.states.forgetFrom(start);
    for (const chain of chains) {
      const from = statesAfter.get(chain[0].after);
      // It left before the first step that is another one now.
      if (!from) continue;
      const tell = tellers?.(from);
      const again = (step: Step | PackedStep, after: States): void => {
        revised.push(step);
        tell?.(step, after);
        if (forks.has(step.seq)) statesAfter.set(step.seq, { ...after });
        if (chain === chains[0]) timeline.states.keep(after, step.seq);
      };
      const end = host.computing.within('what is computed again', () => recompute(chain, from, how, again));
      if (chain === chains[0]) live = end;
    }
    for (const [i, step] of revised.entries()) {
      if (i < chains[0].length) line.set(start + i, step);
      else timeline.replace(step);
    }
    this.state.tip = { ...live };
    this.cursor.show(Math.min(this.state.at, line.length - 1));
    // Runs whose beginning no longer counts are over.
    leaveLine(this.state.host, ({ step }) => step === undefined || !this.state.excluded.has(step), 'branch');
    this.state.travel.arrived('branch', []);
    this.state.written.again(revised.sort((a, b) => a.seq - b.seq));
  }

  private howToRecompute(all: readonly (Step | PackedStep)[]): Recomputing {
    const { redaction, host, excluded } = this.state;
    const orphans = causedBy(all, excluded);
    for (const step of all) {
      const { seq, reason, stack } = step as Partial<Step> & Pick<Step, 'seq'>;
      if (reason !== undefined && stack !== undefined && !this.thrown.has(seq)) this.thrown.set(seq, { reason, stack });
    }
    return {
      model: new Model(storesOf(host)),
      stackOf: (seq, reason) => {
        const thrown = this.thrown.get(seq);
        return thrown?.reason === reason ? thrown.stack : undefined;
      },
      redaction,
      refuses: host.options.invariants === 'refuse',
      isExcluded: (seq) => excluded.has(seq),
      isOrphan: ({ seq }) => orphans.has(seq),
    };
  }

  /** Tells listeners what steps change now, where there are some that ask: for each chain, from the states before it on. */
  private listeners(): ((from: States) => (step: Step | PackedStep, after: States) => void) | undefined {
    const { redaction, host } = this.state;
    const { recorder } = host;
    if (!redaction.none || !recorder?.listeners.some(({ recomputed }) => recomputed)) return undefined;
    const stores = new Map(storesOf(host).map((store) => [store.name, store]));
    return (from) => {
      let previous: States = { ...from };
      return (step, after) => {
        const changed = [...step.stores].flatMap((name): StoreChange[] => {
          const store = stores.get(name);
          return store ? [{ store, before: previous[name], after: after[name] }] : [];
        });
        // A sum does not say what each of its actions did.
        if ((step as Partial<Step>).fact !== 'summed')
          recorder.each((listener) => listener.recomputed?.(step.seq, changed));
        previous = { ...after };
      };
    };
  }

  /** The line is that of a file now: its steps are left out as the file says. */
  begin(steps: readonly Step[]): void {
    this.state.excluded.clear();
    this.thrown.clear();
    for (const { seq, excluded } of steps) if (excluded) this.state.excluded.add(seq);
  }
}
