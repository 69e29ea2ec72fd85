// What if: the steps that follow a step, computed once more without some of them.
import {
  type Computed,
  DEV,
  difference,
  differenceOfStates,
  endOfGroup,
  escapeKey,
  hasOwn,
  parsePointer,
  type ListMoves,
  messageOf,
  type Model,
  STAYING,
  withChanges,
} from '../core/internal.js';
import { applyPatch, type Outcome, type Patch } from '../core/index.js';
import { stackOf } from './stack.js';
import { Differences, PackedStep, whole } from './packing.js';
import type { Redaction } from './redaction/redaction.js';
import { settledBy, type Step, type StepInMaking } from './step.js';
import type { States } from './kept-states.js';

/** What recomputing needs to know. */
export interface Recomputing {
  readonly model: Model;
  readonly redaction: Redaction;
  /** Whether an action that breaks a rule is refused. */
  readonly refuses: boolean;
  isExcluded(seq: number): boolean;
  /** Where a step threw an error when it was recorded: computed again, it is thrown from elsewhere. */
  stackOf?(seq: number, reason: string): string | undefined;
  /** Whether what brought a step about is excluded. */
  isOrphan(step: { readonly seq: number }): boolean;
}

const NONE: Patch = [];

/** Computed only where the stores decide; what interceptors stopped, and what was reverted at once, stays so. */
const COMPUTED: readonly Outcome[] = ['applied', 'unchanged', 'failed', 'refused'];

export interface Result {
  readonly step: Step;
  readonly after: States;
}

/**
 * The same steps, one after the other, from other states.
 * @param each gets each step, and the states after it, which it must copy to keep them
 * @returns the states after the last one
 */
export function recompute(
  steps: readonly (Step | PackedStep)[],
  from: States,
  how: Recomputing,
  each: (step: Step | PackedStep, after: States) => void,
): States {
  let states: Record<string, unknown> = { ...from };
  const differences = new Differences();
  for (let i = 0, end: number; i < steps.length; i = end) {
    const step = steps[i];
    end = i + 1;
    if (step instanceof PackedStep) {
      const again = packed(step, states, how, differences);
      if (again) {
        each(again, states);
        continue;
      }
    }
    const first = whole(step);
    end = endOfGroup(steps as readonly Step[], i);
    const results =
      first.group === undefined ? [one(first, states, how)] : together(steps.slice(i, end).map(whole), states, how);
    for (const { step, after } of results) each(step, after);
    states = { ...results[results.length - 1].after };
  }
  return states;
}

/** The common step once more, with the states edited in place; nothing where it is no longer as common. */
function packed(
  step: PackedStep,
  states: Record<string, unknown>,
  { model, redaction, isExcluded, isOrphan }: Recomputing,
  differences: Differences,
): PackedStep | undefined {
  if (!redaction.none || isExcluded(step.seq) || isOrphan(step)) return undefined;
  let computed: Computed;
  try {
    computed = model.apply(step.action, states);
  } catch {
    return undefined;
  }
  const { changed } = computed;
  if (changed.length !== 1 || changed[0].store.invariants.length > 0) return undefined;
  const found = differences.of(computed);
  if (!('path' in found)) return undefined;
  const { store, after } = changed[0];
  states[store.name] = after;
  const { seq, branch, action, time, took } = step;
  const { path, was, is } = found;
  return new PackedStep(seq, step.after, branch, action, differences.namesOf(changed), path, was, is, time, took);
}

/** Steps that commit or roll back together. */
function together(steps: readonly Step[], from: States, how: Recomputing): Result[] {
  const results: Result[] = [];
  let states = from;
  for (const step of steps) {
    const result = one(step, states, how, true);
    results.push(result);
    states = result.after;
  }
  const names = new Set(results.flatMap(({ step }) => step.stores));
  const broken = how.refuses ? how.model.broken(names, how.redaction.states.reveal(states), 'atomic') : [];
  const failed = results.find(({ step }) => step.outcome === 'failed' && step.kind === 'action' && !step.caught);
  const reason = failed?.step.reason ?? (broken.length > 0 ? messageOf(broken[0]) : undefined);
  if (reason === undefined) {
    if (!how.refuses) noteRules(results, names, states, how);
    return results;
  }
  // Rolled back as a whole, with what the user undid or reset in it; stores that joined have joined.
  states = from;
  return results.map((result, i) => {
    const { kind, fact: name } = result.step;
    if (kind === 'fact' && !STAYING.has(name!))
      return { step: withoutEffect(steps[i], how, how.isExcluded(steps[i].seq), 'unchanged'), after: states };
    if (kind === 'fact' || isUntouched(result.step)) {
      const again = one(steps[i], states, how);
      states = again.after;
      return again;
    }
    return { step: became(steps[i], how, { outcome: 'failed', reason }), after: states };
  });
}

/** Rules are looked at when a transaction ends: its last step tells of those that do not hold. */
function noteRules(results: Result[], names: Iterable<string>, states: States, how: Recomputing): void {
  const last = results[results.length - 1];
  const { redaction, model } = how;
  const broken = model.broken(names, redaction.states.reveal(states), 'atomic');
  const problems = [...notedIn(last.step, how), ...broken.map((error) => redaction.secrets.message(messageOf(error)))];
  const { problems: before = [], ...step } = last.step;
  if (before.length === 0 && problems.length === 0) return;
  results[results.length - 1] = { ...last, step: { ...step, ...(problems.length > 0 && { problems }) } };
}

/** Everything that it confirms or reverts is excluded. */
function settlesExcluded(step: Step, how: Recomputing): boolean {
  const settled = settledBy(step);
  return settled.length > 0 && settled.every((seq) => how.isExcluded(seq));
}

const isUntouched = (step: Step): boolean => step.excluded === true || !COMPUTED.includes(step.outcome);

/**
 * A step from other states, whatever commits or rolls back together with it: rules are not looked at within a transaction.
 */
export const recomputed = (step: Step, states: States, how: Recomputing): Result =>
  one(step, states, how, step.group !== undefined);

function one(step: Step, states: States, how: Recomputing, inGroup = false): Result {
  const excluded = how.isExcluded(step.seq);
  // What was decided elsewhere stays so, whether it is left out or taken in again.
  if (!isGiven(step) && !COMPUTED.includes(step.outcome)) return { step: asItWas(step, how), after: states };
  if (excluded || settlesExcluded(step, how)) {
    if (isGiven(step)) return { step: withoutEffect(step, how, excluded, 'unchanged'), after: states };
    // What its watchers threw is told again when it counts again.
    return { step: became(step, how, { outcome: 'unchanged', excluded, problems: notedIn(step, how) }), after: states };
  }
  if (isGiven(step)) return fact(step, step.given ?? step.changes, states, how);
  return action(step, states, how, inGroup);
}

/** A fact that states nothing now. Its patch, its reason and its problems are kept for when it counts again. */
function withoutEffect(step: Step, how: Recomputing, excluded: boolean, outcome: Outcome): Step {
  const { given = step.changes, givenMoves = step.moves, reason, stack, problems } = step;
  return became(step, how, { outcome, excluded, given, givenMoves, reason, stack, problems });
}

/** What watchers and selectors threw: the rules are looked at each time that the step is computed. */
const notedIn = ({ problems = [] }: Step, { model }: Recomputing): readonly string[] =>
  problems.filter((problem) => !model.isOfRule(problem));

/** A step without an effect that stays one. */
const asItWas = (step: Step, how: Recomputing): Step => {
  const { outcome, reason, stack, problems } = step;
  return became(step, how, { outcome, reason, stack, problems, excluded: how.isExcluded(step.seq) });
};

/** No handler computes what its patch states; where a payload is not known, the patch is taken on trust. */
const isGiven = (step: Step): boolean => step.kind === 'fact' || step.onTrust === true;

function action(step: Step, states: States, how: Recomputing, inGroup: boolean): Result {
  const { model, redaction, refuses } = how;
  try {
    const seen = redaction.states.reveal(states);
    const { changed, touches } = model.apply(step.action!, seen);
    let problems = notedIn(step, how);
    const names = changed.map(({ store }) => store.name);
    if (!inGroup && changed.some(({ store }) => store.invariants.length > 0)) {
      const broken = model.broken(names, withChanges(seen, changed), step.action!.type);
      if (refuses && broken.length > 0)
        return {
          step: became(step, how, { outcome: 'refused', reason: redaction.secrets.message(messageOf(broken[0])) }),
          after: states,
        };
      problems = [...broken.map((error) => redaction.secrets.message(messageOf(error))), ...problems];
    }
    const after: Record<string, unknown> = { ...states };
    const changes = [];
    const undo = [];
    const moves: ListMoves[] = [];
    for (const change of changed) {
      const { name } = change.store;
      const next = redaction.states.conceal(name, change.after);
      const found = difference(states[name], next, `/${escapeKey(name)}`, touches);
      changes.push(...found.changes);
      undo.unshift(...found.undo);
      moves.push(...(found.moves ?? []));
      after[name] = next;
    }
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    return { step: became(step, how, { outcome, stores: names, changes, undo, moves, problems }), after };
  } catch (error) {
    const reason = redaction.secrets.message(messageOf(error));
    const stack = how.stackOf?.(step.seq, reason) ?? (DEV ? stackOf(error) : undefined);
    return {
      step: became(step, how, {
        outcome: 'failed',
        reason,
        stack: stack && redaction.secrets.message(stack),
        problems: notedIn(step, how),
      }),
      after: states,
    };
  }
}

/** States what it stated, wherever that can still be stated. */
function fact(step: Step, given: Patch, states: States, how: Recomputing): Result {
  let after: States;
  try {
    after = given.length > 0 ? applyPatch(states, given) : states;
  } catch {
    after = appliedInPart(step, given, states);
    if (after === states) return { step: withoutEffect(step, how, false, 'unchanged'), after };
  }
  const { changes, undo } = differenceOfStates(states, after);
  const moves = step.givenMoves ?? step.moves ?? [];
  // What it states is there already in part: the whole is kept for when it is not.
  const isWhole = changes.length === given.length;
  const stores = Object.keys(after).filter((name) => !hasOwn(states, name) || !Object.is(states[name], after[name]));
  const outcome = changes.length > 0 ? 'applied' : 'unchanged';
  const now = {
    outcome,
    stores,
    changes: isWhole ? given : changes,
    undo,
    moves: isWhole ? moves : [],
    given: isWhole ? undefined : given,
    givenMoves: isWhole ? [] : moves,
    reason: step.reason,
    stack: step.stack,
    problems: step.problems,
  } as const;
  return { step: became(step, how, now), after };
}

/** What is still so of a fact whose patch does not fit as a whole. */
function appliedInPart({ alsoAbout }: Step, given: Patch, states: States): States {
  // The stores that joined in a sum have joined.
  if (!alsoAbout) {
    const joins = given.filter(({ op, path }) => op === 'add' && parsePointer(path).length === 1);
    return joins.length > 0 ? applyPatch(states, joins) : states;
  }
  // What one of the reverted actions did is not there to be reverted; what the others did is.
  return given.reduce((now, operation) => {
    try {
      return applyPatch(now, [operation]);
    } catch {
      return now;
    }
  }, states);
}

interface Became {
  readonly outcome: Outcome;
  readonly reason?: string | undefined;
  readonly stack?: string | undefined;
  readonly stores?: readonly string[];
  readonly changes?: Patch;
  readonly undo?: Patch;
  readonly moves?: readonly ListMoves[];
  readonly problems?: readonly string[] | undefined;
  readonly excluded?: boolean;
  readonly given?: Patch | undefined;
  readonly givenMoves?: readonly ListMoves[] | undefined;
}

function became(step: Step, how: Recomputing, now: Became): Step {
  const {
    outcome,
    reason,
    stack,
    stores = [],
    changes = NONE,
    undo = NONE,
    moves = [],
    problems = [],
    excluded = false,
    given,
    givenMoves = [],
  } = now;
  const { seq, time, kind, cause, took, after, branch } = step;
  // Written out: copying all members but some takes several times as long.
  const next: StepInMaking = { seq, time, kind, cause, stores, changes, undo, took, outcome, after, branch };
  if (step.action) next.action = step.action;
  if (step.fact) next.fact = step.fact;
  if (step.group !== undefined) next.group = step.group;
  if (step.caught) next.caught = true;
  if (step.run) next.run = step.run;
  if (step.about !== undefined) next.about = step.about;
  if (step.alsoAbout) next.alsoAbout = step.alsoAbout;
  if (step.count !== undefined) next.count = step.count;
  if (step.note !== undefined) next.note = step.note;
  if (step.onTrust) next.onTrust = true;
  if (reason !== undefined) next.reason = reason;
  if (stack !== undefined) next.stack = stack;
  if (moves.length > 0) next.moves = moves;
  if (problems.length > 0) next.problems = problems;
  if (given && given.length > 0) next.given = given;
  if (givenMoves.length > 0) next.givenMoves = givenMoves;
  if (excluded) next.excluded = true;
  else if (how.isOrphan(step)) next.orphan = true;
  return next;
}
