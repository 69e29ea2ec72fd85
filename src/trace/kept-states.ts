// The states along the line of a trace: some are kept, the others are worked out from these.
import { applyPatch } from '../core/index.js';
import { stepDamaged } from './errors.js';
import { upTo, type Line } from './line.js';
import type { Step } from './step.js';

/** A state tree: the state of every store under its name. */
export type States = Readonly<Record<string, unknown>>;

/** The states after a step of the line; before the first one, the index is -1. */
export interface Known {
  readonly index: number;
  readonly states: States;
}

/** Every so many steps the states are kept, so that no other is further away than half of that; files have them too. */
export const EVERY = 1000;

export class KeptStates {
  /** After some steps, by number, oldest first; also of steps that are not on the line now. */
  private kept: { readonly seq: number; readonly states: States }[] = [];

  constructor(private readonly line: Line) {}

  /** Keeps the states after a step of the line, the last one if not told, now and then; with `always`, after each. */
  keep(states: States, seq = this.line.lastSeq ?? 0, always = false): void {
    if (!always && (seq % EVERY > 0 || seq === 0)) return;
    // The last step may have become another one: a sum grows.
    if (this.kept.at(-1)?.seq === seq) this.kept.pop();
    this.kept.push({ seq, states: { ...states } });
  }

  /** Drops the kept states from the step at an index on, which are others now. */
  forgetFrom(index: number): void {
    const seq = this.line.seqAt(index) ?? Infinity;
    this.drop((one) => one >= seq);
  }

  /** Drops those after steps that are gone. */
  drop(isGone: (seq: number) => boolean): void {
    this.kept = this.kept.filter(({ seq }) => !isGone(seq));
  }

  /** The states after the step at an index, worked out from the nearest that are known. */
  at(index: number, known: readonly Known[]): States {
    let nearest = known[0];
    const look = (one: Known): void => {
      if (Math.abs(one.index - index) < Math.abs(nearest.index - index)) nearest = one;
    };
    for (const one of known) look(one);
    for (const one of this.keptAround(index)) look(one);
    return this.lead(nearest, index);
  }

  private *keptAround(index: number): Iterable<Known> {
    const next = upTo(this.kept, this.line.seqAt(index) ?? -1);
    for (const one of this.kept.slice(Math.max(0, next - 1), next + 1)) {
      const at = this.line.indexOf(one.seq);
      if (at >= 0) yield { index: at, states: one.states };
    }
  }

  private lead({ index: from, states }: Known, to: number): States {
    return to < from
      ? patched(states, this.line.slice(to + 1, from + 1).reverse(), 'undo')
      : patched(states, this.line.slice(from + 1, to + 1));
  }

  /** The states after the last step of a line that came from a file; those on the way are kept now and then. */
  replayed(start: States): States {
    let states = start;
    let steps: Step[] = [];
    for (let i = 0; i < this.line.length; i++) {
      const step = this.line.at(i)!;
      steps.push(step);
      if (step.seq % EVERY > 0 && i < this.line.length - 1) continue;
      states = patched(states, steps);
      steps = [];
      this.keep(states, step.seq);
    }
    return states;
  }
}

/**
 * The states after some steps, or before them. All patches are applied as one: what several of them change is copied once.
 * @param steps in the order in which the states lead through them
 * @throws FLOE_TRACE_DAMAGED with the first step whose patch does not fit
 */
export function patched(states: States, steps: readonly Step[], way: 'changes' | 'undo' = 'changes'): States {
  const all = steps.length === 1 ? steps[0][way] : steps.flatMap((step) => step[way]);
  if (all.length === 0) return states;
  try {
    return applyPatch(states, all);
  } catch {
    let before = states;
    for (const step of steps) {
      try {
        before = applyPatch(before, step[way]);
      } catch (cause) {
        throw stepDamaged(step.seq, way, cause);
      }
    }
    return before;
  }
}
