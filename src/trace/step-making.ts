// Makes the step of a transition: as small as it can be kept, and without secrets.
import {
  DEV,
  type Difference,
  differenceOf,
  messageOf,
  type StoreDefinition,
  type Transition,
} from '../core/internal.js';
import type { RunNote } from '../core/index.js';
import { Differences, PACKED_FROM, PackedStep, patchesOf } from './packing.js';
import type { Redaction } from './redaction/redaction.js';
import { stackOf } from './stack.js';
import { CODE, type Step, type StepCause, type StepInMaking } from './step.js';
import type { Timeline } from './timeline.js';

const NO_STORES: readonly string[] = Object.freeze([]);

const NO_DIFFERENCE: Difference = { changes: [], undo: [] };
Object.freeze(NO_DIFFERENCE.changes);
Object.freeze(NO_DIFFERENCE.undo);

export class StepMaking {
  /** Groups and runs of an imported trace keep their numbers; those that come after it count on from there. */
  groupShift = 0;
  runShift = 0;
  private readonly differences = new Differences();

  constructor(private readonly redaction: Redaction) {}

  /** A step in the form in which it is kept. */
  stepFor(transition: Transition, timeline: Timeline): Step | PackedStep {
    const { action, cause, changed, group, problems, outcome, time, took } = transition;
    if (changed.length === 0) {
      this.redaction.beginStep();
      return this.stepOf(transition, NO_DIFFERENCE, timeline);
    }
    if (!this.redaction.none) return this.stepOf(transition, this.concealedPatches(transition), timeline);
    const found = this.differences.of(transition);
    const isCommon =
      'path' in found &&
      action !== undefined &&
      outcome === 'applied' &&
      cause.by === 'code' &&
      !cause.of &&
      group === undefined &&
      problems === undefined;
    const since = time - PACKED_FROM;
    const micros = Math.round(took * 1000);
    if (!isCommon || (since | 0) !== since || (micros | 0) !== micros)
      return this.stepOf(transition, patchesOf(found), timeline);
    const { line, nextSeq, branch, folded } = timeline;
    const { path, was, is } = found;
    const stores = this.differences.namesOf(changed);
    const after = line.lastSeq ?? folded;
    return new PackedStep(nextSeq, after, branch, action, stores, path, was, is, since, micros);
  }

  private stepOf(transition: Transition, { changes, undo, moves }: Difference, timeline: Timeline): Step {
    const { kind, fact, action, outcome, changed, took, time, reason, group, problems, run, about, alsoAbout, caught } =
      transition;
    const { redaction } = this;
    const recorded = redaction.none || !action ? action : redaction.actionOfStep(action);
    // Members that every step has first, in one order: the engine then knows one shape for nearly all steps.
    const seq = timeline.nextSeq;
    const cause = this.causeOf(transition);
    const stores = changed.length > 0 ? this.differences.namesOf(changed) : NO_STORES;
    const after = timeline.line.lastSeq ?? timeline.folded;
    const { branch } = timeline;
    const ms = Math.round(took * 1000) / 1000;
    const base = { seq, time, kind, action: recorded, cause, stores, changes, undo, took: ms, outcome, after, branch };
    const step: StepInMaking = base;
    if (recorded === undefined) delete step.action;
    else if (recorded !== action) step.onTrust = true;
    if (fact) step.fact = fact;
    if (moves) step.moves = moves;
    if (group !== undefined) step.group = group + this.groupShift;
    if (caught) step.caught = true;
    if (run) step.run = this.numbered(redaction.none ? run : redaction.run(run));
    const text = (error: unknown): string =>
      redaction.none ? messageOf(error) : redaction.secrets.message(messageOf(error));
    if (reason !== undefined) step.reason = text(reason);
    if (DEV && (outcome === 'failed' || run?.phase === 'failed')) {
      const stack = stackOf(reason);
      if (stack !== undefined) step.stack = redaction.none ? stack : redaction.secrets.message(stack);
    }
    if (problems) step.problems = problems.map(text);
    if (about?.step !== undefined) step.about = about.step;
    if (alsoAbout) step.alsoAbout = alsoAbout.flatMap((one) => one.step ?? []);
    return step;
  }

  concealedPatches({ changed, touches }: Pick<Transition, 'changed' | 'touches'>): Difference {
    this.redaction.beginStep();
    // What is a secret in one store may stand in another one that changed with it, and in the payload.
    for (const { store, before, after } of changed) {
      this.redaction.arrive(store.name, before, after);
      this.redaction.states.learnFrom(store.name, before);
      this.redaction.states.learnFrom(store.name, after);
    }
    const concealed = changed.map((change) => ({
      ...change,
      before: this.concealed(change.store, change.before),
      after: this.concealed(change.store, change.after),
    }));
    return differenceOf({ changed: concealed, touches: touches && this.redaction.states.touches(touches) });
  }

  /** The state of a store as it may be recorded. */
  concealed({ name, internal }: StoreDefinition, state: unknown): unknown {
    const { redaction } = this;
    if (redaction.none) return state;
    const result = redaction.states.conceal(name, state);
    return internal ? redaction.status(result) : result;
  }

  private causeOf({ cause: { by, of, run, action } }: Transition): StepCause {
    if (by === 'code' && of === undefined && run === undefined) return CODE;
    const step = of?.step;
    return {
      by,
      ...(step !== undefined && { step }),
      ...(run !== undefined && { run: run + this.runShift }),
      ...(action !== undefined && { action }),
    };
  }

  /** One that never began has no number. */
  private numbered(run: RunNote): RunNote {
    return this.runShift > 0 && run.id > 0 ? { ...run, id: run.id + this.runShift } : run;
  }
}
