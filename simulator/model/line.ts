// The model of one line of transitions, on plain data. It does not predict which steps come: it is given the steps that were
// recorded, and says what each of them must have come to.
import type { Step, Trace } from 'floe/trace';
import type { Blueprint } from '../application.js';
import { Fault } from '../planned.js';
import { Handlers } from './handlers.js';
import { isOptimistic, Pending } from './pending.js';
import { difference, patched, plain, same, text, type Plain, type States } from './plain.js';
import { recomputed } from './recompute.js';

/** A step as it was recorded first: what it is computed from again. */
export interface Node {
  readonly seq: number;
  readonly step: Step;
  readonly payload: Plain;
}

const COUNTING = ['applied', 'unchanged'];

export class Line {
  readonly handlers: Handlers;
  readonly nodes = new Map<number, Node>();
  /** The states after each step, as they were checked. */
  readonly states = new Map<number, States>();
  readonly pending: Pending;
  private seen = -1;
  private excluded = '';
  /** States of Floe with the states of the model that they are the same as. */
  private readonly found = new WeakMap<object>();

  constructor(
    private readonly blueprint: Blueprint,
    version: 1 | 2,
    private readonly trace: Trace,
  ) {
    this.handlers = new Handlers(blueprint);
    this.pending = new Pending(this.handlers);
    this.version = version;
    this.isWhole = !blueprint.ignores && blueprint.limit === 10_000;
  }
  readonly version: 1 | 2;
  /** Every transition is listed. */
  isWhole: boolean;
  /** Steps were left out or taken in again: facts after them are as they were. */
  isRevised = false;
  /** What it reads is a history that took the place of another one. */
  private isReplaced = false;

  /** Reads what was recorded since. @throws Fault where a step did something else than it must */
  follow(): void {
    const { trace } = this;
    const { steps } = trace;
    const excluded = steps.filter((step) => step.excluded).map(({ seq }) => seq);
    const isRevised = excluded.join() !== this.excluded;
    this.excluded = excluded.join();
    if (isRevised) this.revise();
    let isGrown = false;
    for (const [i, step] of steps.entries()) {
      const known = step.seq <= this.seen ? this.nodes.get(step.seq) : undefined;
      // A sum grows: everything after it is read again.
      isGrown ||= step.fact === 'summed' && known !== undefined && text(known.step.changes) !== text(step.changes);
      if (!known || isGrown) this.see(step, steps.slice(0, i));
    }
    this.seen = Math.max(this.seen, ...steps.map(({ seq }) => seq));
    this.isReplaced = false;
    this.checkShown();
  }

  /** Another history took the place of this one. */
  forget(): void {
    this.nodes.clear();
    this.states.clear();
    this.pending.forget();
    this.seen = -1;
    this.excluded = '';
    this.isReplaced = true;
  }

  private see(step: Step, before: readonly Step[]): void {
    const from = this.before(step);
    this.nodes.set(step.seq, { seq: step.seq, step, payload: plain(step.action?.payload) });
    if (!from) return void this.states.set(step.seq, plain(this.trace.stateAt(step.seq)) as States);
    const after = this.folded(step, from);
    this.states.set(step.seq, after);
    if (step.kind === 'action' && step.excluded !== true) this.checkAction(step, from, after);
    if (step.fact === 'summed') this.isWhole = false;
    const isAsItWas = this.isReplaced && this.isRevised;
    if (!this.isWhole || this.blueprint.redacts || isAsItWas) this.pending.forget();
    else this.pending.see(step, { from, after, line: before, statesAfter: this.states });
  }

  private before({ after }: Step): States | undefined {
    return after === null ? {} : this.states.get(after);
  }

  /** The patch leads forward, and the other one back. */
  private folded({ seq, changes, undo }: Step, from: States): States {
    let after: States;
    try {
      after = patched(from, changes);
      if (!same(patched(after, undo), from)) throw new Error('undo does not lead back');
    } catch (error) {
      throw new Fault('patches', `step ${seq}: ${(error as Error).message}`);
    }
    return after;
  }

  private checkAction(step: Step, from: States, after: States): void {
    const { seq, outcome, action, onTrust, changes } = step;
    const { type } = action!;
    const say = (what: string): Fault => new Fault('model', `step ${seq}, ${type}: ${what}`);
    if (outcome === 'unchanged' && changes.length > 0) throw say('says unchanged, and changes something');
    if (outcome === 'applied' && changes.length === 0 && !this.blueprint.redacts)
      throw say('says applied, and changes nothing');
    if (!COUNTING.includes(outcome)) {
      if (changes.length > 0) throw say(`says ${outcome}, and changes something`);
      if (outcome !== 'failed' || onTrust) return;
    }
    if (onTrust || !this.handlers.knows(type)) return;
    let expected: States;
    try {
      expected = this.handlers.apply(type, this.nodes.get(seq)!.payload, from);
    } catch (error) {
      if (outcome === 'failed') return;
      throw say(`says ${outcome}, and must fail: ${(error as Error).message}`);
    }
    if (outcome === 'failed') throw say(`failed for no reason: ${step.reason ?? ''}`);
    if (this.blueprint.redacts) this.hide(expected, from);
    if (!same(expected, after)) throw say(`leads to ${difference(after, expected)}`);
  }

  /** What is redacted is recorded as it was recorded before. */
  private hide(states: States, from: States): void {
    for (const [name, state] of Object.entries(states))
      if (from[name] && Object.hasOwn(state as object, 'secret'))
        states[name] = { ...state, secret: from[name].secret };
  }

  /** What is shown is what the step at the cursor came to. */
  private checkShown(): void {
    const { cursor } = this.trace;
    const states = this.states.get(cursor);
    if (!states) return;
    const reported: States = this.trace.stateAt(cursor);
    const names = Object.keys(reported);
    const isSame =
      names.length === Object.keys(states).length && names.every((name) => this.isShown(reported[name], states[name]));
    if (!isSame) throw new Fault('stateAt', `step ${cursor}: ${difference(plain(reported), states)}`);
  }

  /** States never change: what was found to be the same once is so again. */
  private isShown(reported: Plain, expected: Plain): boolean {
    if (typeof reported === 'object' && reported !== null && this.found.get(reported) === expected) return true;
    if (!same(reported, expected)) return false;
    if (typeof reported === 'object' && reported !== null) this.found.set(reported, expected);
    return true;
  }

  /** Steps were left out or taken in again: everything is computed again from the beginning. */
  private revise(): void {
    this.isRevised = true;
    const { steps } = this.trace;
    this.pending.forget();
    if (this.blueprint.limit < 10_000) return this.takeOver();
    const known = steps.filter(({ seq }) => this.nodes.has(seq));
    const [first] = known;
    if (!first) return;
    const start = this.before(first) ?? (plain(this.trace.stateAt(first.seq)) as States);
    const isFirstIn = this.before(first) === undefined ? 1 : 0;
    const line = known.slice(isFirstIn).map((step) => {
      const { seq, excluded = false, fact } = step;
      return { ...this.nodes.get(seq)!, ...(fact === 'summed' && { step }), excluded };
    });
    const all = recomputed(line, start, this.handlers, this.blueprint);
    for (const [i, step] of known.slice(isFirstIn).entries()) {
      const from = i === 0 ? start : this.states.get(known[i + isFirstIn - 1].seq)!;
      const after = this.folded(step, from);
      const expected = all[i];
      if (this.blueprint.redacts) this.hide(expected, from);
      if (!same(expected, after))
        throw new Fault(
          'what if',
          `step ${step.seq}, ${step.action?.type ?? step.fact ?? ''}, is ${step.outcome} and leads to ${difference(after, expected)}`,
        );
      this.states.set(step.seq, after);
    }
  }

  /** What is no longer kept cannot be computed again: the model takes what the trace says of it. */
  private takeOver(): void {
    for (const { seq } of this.trace.steps) this.states.set(seq, plain(this.trace.stateAt(seq)) as States);
  }

  /** What is on other branches is looked at when one of them is shown. */
  switched(): void {
    this.excluded = '?';
  }

  isOptimistic(seq: number): boolean {
    const node = this.nodes.get(seq);
    return node !== undefined && isOptimistic(node.step);
  }
}
