// Optimistic actions: what must be so when one of them is reverted, or another action takes its place (rule 20). While one is
// open, everything since is kept, and computed again from the beginning.
import type { Step } from 'floe/trace';
import { Fault } from '../planned.js';
import type { Handlers } from './handlers.js';
import { difference, plain, same, type Plain, type States } from './plain.js';

interface Entry {
  readonly seq: number;
  readonly group: number | undefined;
  action: { readonly type: string; readonly payload: Plain } | undefined;
  /** Of a fact: the states of the stores that it stated. */
  readonly stated: States;
  gone: boolean;
}

/** What the line knows of a step. */
export interface Around {
  readonly from: States;
  readonly after: States;
  /** The steps before it. */
  readonly line: readonly Step[];
  readonly statesAfter: ReadonlyMap<number, States>;
}

/** The notes of optimistic actions end like this; a replacement adds its own mark. */
export const isOptimistic = ({ action, cause }: Step): boolean =>
  cause.run !== undefined && /\bn\d+\w*[sqo]x?"/.test(JSON.stringify(action?.payload ?? ''));

/**
 * What comes from elsewhere states what is confirmed, and a reset also what it does not change: the model says nothing as long
 * as something is open then.
 */
const FROM_ELSEWHERE = ['rehydrated', 'fromTab', 'renewed', 'reset'];

const isStatus = (name: string): boolean => name.endsWith('.status');

export class Pending {
  private base: States | undefined;
  private entries: Entry[] = [];
  private readonly open = new Set<number>();
  /** Optimistic actions that were left out before the model saw them. */
  private readonly leftOut = new Set<number>();
  private last: number | undefined;
  /** Something happened of which the model cannot say what it comes to. */
  private isUnknown = false;

  constructor(private readonly handlers: Handlers) {}

  forget(): void {
    this.isUnknown = this.open.size > 0;
    if (this.isUnknown) return;
    this.base = undefined;
    this.entries = [];
  }

  see(step: Step, around: Around): void {
    const { seq, fact, after } = step;
    if (this.base && after !== this.last) this.isUnknown = true;
    this.last = seq;
    if (step.excluded === true) {
      // What reverted a later one was decided with it: its patch may fit no more.
      this.isUnknown ||= this.base !== undefined;
      return void this.leftOut.add(seq);
    }
    if (fact === 'reverted' || fact === 'confirmed') return this.settle(step, around);
    const counts = step.outcome === 'applied' || step.outcome === 'unchanged';
    if (!this.base) {
      if (!counts || !isOptimistic(step)) return;
      this.begin(step, around);
    }
    if (isOptimistic(step) && counts) this.open.add(seq);
    if (FROM_ELSEWHERE.includes(fact ?? '')) this.isUnknown = true;
    if (counts) this.entries.push(entryOf(step, around.after));
  }

  /** With what was done before it in the same transaction. */
  private begin(step: Step, { line, from, statesAfter }: Around): void {
    let first = line.length;
    for (; step.group !== undefined && first > 0 && line[first - 1].group === step.group; first--);
    const earlier = line.slice(first);
    const base = first > 0 ? statesAfter.get(line[first - 1].seq) : {};
    this.base = earlier.length > 0 ? base : from;
    this.isUnknown = this.base === undefined;
    this.base ??= from;
    this.entries = earlier
      .filter(({ outcome }) => outcome === 'applied' || outcome === 'unchanged')
      .map((one) => entryOf(one, statesAfter.get(one.seq) ?? {}));
  }

  private settle(step: Step, { from, after }: Around): void {
    const about = step.about === undefined ? [] : [step.about, ...(step.alsoAbout ?? [])];
    const entries = this.entries.filter(({ seq }) => about.includes(seq));
    for (const seq of about)
      if (!this.open.delete(seq) && !this.isUnknown && !this.leftOut.has(seq))
        throw new Fault('settled once', `step ${step.seq} settles step ${seq}, which is not open`);
    for (const entry of entries) {
      if (step.fact === 'reverted') entry.gone = true;
      else if (step.action) entry.action = { type: step.action.type, payload: plain(step.action.payload) };
    }
    const isComputed = step.fact === 'reverted' || step.action !== undefined;
    if (!this.isUnknown && entries.length > 0 && isComputed) {
      const expected = { ...this.computed() };
      for (const name of Object.keys(from)) if (isStatus(name)) expected[name] = from[name];
      if (!same(after, expected))
        throw new Fault(
          'rebased',
          `step ${step.seq}, ${step.fact ?? ''} of step ${about.join(', ')}, leads to ${difference(after, expected)}`,
        );
    }
    if (this.open.size > 0) return;
    this.base = undefined;
    this.entries = [];
    this.isUnknown = false;
  }

  /** Everything that counts, from the beginning. What cannot be applied any more is dropped, with its transaction. */
  private computed(): States {
    let states = this.base!;
    for (let i = 0, end: number; i < this.entries.length; i = end) {
      const { group } = this.entries[i];
      for (end = i + 1; group !== undefined && this.entries[end]?.group === group; end++);
      const together = this.entries.slice(i, end).filter(({ gone }) => !gone);
      const apply = (now: States, { action, stated }: Entry): States =>
        action ? this.handlers.apply(action.type, action.payload, now) : { ...now, ...stated };
      try {
        states = together.reduce(apply, states);
      } catch {
        for (const entry of together) {
          if (!entry.action) states = apply(states, entry);
          else {
            entry.gone = true;
            this.open.delete(entry.seq);
          }
        }
      }
    }
    return states;
  }

  /** The live states without what is open; nothing where the model cannot say. */
  confirmed(live: States): States | undefined {
    if (!this.base) return live;
    if (this.isUnknown) return undefined;
    const all = this.entries;
    const isGone = all.map(({ gone }) => gone);
    for (const entry of all) entry.gone ||= this.open.has(entry.seq);
    const before = new Set(this.open);
    const states = this.computed();
    for (const [i, entry] of all.entries()) entry.gone = isGone[i];
    for (const seq of before) this.open.add(seq);
    return states;
  }
}

function entryOf(step: Step, after: States): Entry {
  const { seq, group, action, kind, stores } = step;
  const stated: States = {};
  if (kind === 'fact') for (const name of stores) if (!isStatus(name)) stated[name] = after[name];
  return {
    ...{ seq, group, stated, gone: false },
    action: kind === 'action' ? { type: action!.type, payload: plain(action!.payload) } : undefined,
  };
}
