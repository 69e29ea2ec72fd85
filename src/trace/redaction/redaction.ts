// Secrets stay out of what is recorded: a marker stands in their place, in states, payloads, arguments and messages.
import type { AnyAction, Patch, PatchOperation, RunNote } from '../../core/index.js';
import { parsePointer, pointerTo } from '../../core/internal.js';
import type { NotedInteraction } from '../interactions.js';
import type { Step, StepInMaking } from '../step.js';
import type { States } from '../kept-states.js';
import { Concealing } from './concealing.js';
import { changedParts, markOf, marksOf, partwise } from './parts.js';
import { isIndex, RedactionRules, type RedactOptions, type RedactionRule } from './rules.js';
import { LEAST, Pairs, REDACTED, Secrets } from './secrets.js';

export class Redaction {
  readonly rules: RedactionRules;
  readonly states: Concealing;
  readonly secrets: Secrets;
  /** Nothing is redacted. */
  readonly none: boolean;
  /** What the step that is being made brought to redacted places: also numbers, dates and short texts. */
  private readonly arrived = new Set<string>();

  constructor(options?: RedactOptions) {
    const pairs = new Pairs();
    this.rules = new RedactionRules(options);
    this.secrets = new Secrets(pairs);
    this.states = new Concealing(this.rules, this.secrets, pairs);
    this.none = this.rules.none;
  }

  /** A step is about to be made: nothing has come to a redacted place with it so far. */
  beginStep(): void {
    this.arrived.clear();
  }

  /** Notes what a step brings to the redacted places of a store: it is not to be seen in the payload that brings it. */
  arrive(store: string, before: unknown, after: unknown): void {
    const rule = this.rules.ruleOf(store);
    if (rule) this.arriveAt(rule, before, after);
  }

  private arriveAt(rule: RedactionRule, before: unknown, after: unknown): void {
    if (rule.whole) for (const mark of marksOf(before, after)) this.arrived.add(mark);
    else if (!Object.is(before, after))
      for (const [key, was, is] of changedParts(before, after, rule))
        for (const one of Array.isArray(after) ? rule.ofItem(Number(key)) : rule.of(key)) this.arriveAt(one, was, is);
  }

  private withoutArrived(value: unknown): unknown {
    const mark = markOf(value);
    if (mark !== undefined) return this.arrived.has(mark) ? REDACTED : value;
    if (typeof value !== 'object' || value === null) return value;
    return partwise(
      value,
      (part) => this.withoutArrived(part),
      (key) => key,
    );
  }

  /** An action as it may be recorded; the same one where nothing of it is secret. */
  action(action: AnyAction): AnyAction {
    if (!('payload' in action)) return action;
    const rule = this.rules.ofAction(action.type);
    const payload = this.secrets.free(rule ? this.states.without(action.payload, rule) : action.payload, false);
    return payload === action.payload ? action : { type: action.type, payload };
  }

  /** The action of the step that is being made, also without what it brought to redacted places. */
  actionOfStep(action: AnyAction): AnyAction {
    const recorded = this.action(action);
    if (this.arrived.size === 0) return recorded;
    const payload = this.withoutArrived(recorded.payload);
    return payload === recorded.payload ? recorded : { type: action.type, payload };
  }

  /** What the user did, without secrets in what it names. */
  interaction<T extends Pick<NotedInteraction, 'name' | 'role' | 'key'>>(what: T): T {
    const { name, role, key } = what;
    return {
      ...what,
      name: this.secrets.message(name),
      ...(role !== undefined && { role: this.secrets.message(role) }),
      ...(key !== undefined && { key: this.secrets.message(key) }),
    };
  }

  run(run: RunNote): RunNote {
    const rule = this.rules.ofTask(run.task);
    const args = this.secrets.free(rule ? this.states.without(run.args, rule) : run.args, false);
    if (args === run.args) return run;
    return { ...run, args: Array.isArray(args) ? (args as readonly unknown[]) : [REDACTED] };
  }

  /** The status of a task, whose arguments and error may hold what is secret elsewhere. */
  status(state: unknown): unknown {
    return this.secrets.free(state, false);
  }

  /** Plain data without any text that stands, or stood, at a redacted place, also inside of longer ones. */
  freed<T>(data: T): T {
    return this.secrets.free(data, false) as T;
  }

  /** A step as it may leave the process: what became a secret since it was recorded is taken out. */
  freedStep(step: Step): Step {
    if (this.secrets.areFew) return step;
    return this.stepWith(
      step,
      (patch) => this.patch(patch),
      (text) => this.secrets.message(text, LEAST),
    );
  }

  /** A step of a file, as it would have been recorded here. */
  stepOfFile(step: Step): Step {
    return this.stepWith(
      step,
      (patch) => this.concealedPatch(patch),
      (text) => this.secrets.message(text),
    );
  }

  private stepWith(step: Step, patched: (patch: Patch) => Patch, message: (text: string) => string): Step {
    const { action, run, changes, undo, given, reason, stack, problems, note } = step;
    const next: StepInMaking = { ...step, changes: patched(changes), undo: patched(undo) };
    if (given) next.given = patched(given);
    const recorded = action && this.action(action);
    if (recorded && recorded !== action) {
      next.action = recorded;
      next.onTrust = true;
    }
    if (run) next.run = this.run(run);
    if (reason !== undefined) next.reason = message(reason);
    if (stack !== undefined) next.stack = message(stack);
    if (problems) next.problems = problems.map(message);
    if (note !== undefined) next.note = message(note);
    return next;
  }

  /** A patch of a file with nothing that stands at redacted places; learns what it takes out. */
  private concealedPatch(patch: Patch): Patch {
    const next: PatchOperation[] = [];
    for (const operation of patch) {
      const [store, ...keys] = parsePointer(operation.path);
      const own = this.rules.ruleOf(store);
      let rules = own ? [own] : [];
      let isInside = false;
      for (const key of keys) {
        if (rules.some(({ whole }) => whole)) isInside = true;
        rules = rules.flatMap((rule) => [...(isIndex(key) ? rule.ofItem(Number(key)) : []), ...rule.of(key)]);
      }
      const value = 'value' in operation ? operation.value : undefined;
      const isWhole = rules.some(({ whole }) => whole);
      if (isInside || isWhole) this.secrets.learn(value);
      // The marker stands there, whatever it was.
      if (isInside || (isWhole && operation.op === 'replace')) continue;
      next.push('value' in operation ? { ...operation, value: this.states.partWithout(value, rules) } : operation);
    }
    return next;
  }

  /** States as they may leave the process. */
  freedStates(states: States): States {
    return this.secrets.free(states, true) as States;
  }

  private patch(patch: Patch): Patch {
    const text = (key: string): string => this.secrets.textWithout(key, true);
    return patch.map((operation) => {
      const { before } = operation as { readonly before?: string };
      return {
        ...operation,
        path: pointerTo(parsePointer(operation.path).map(text)),
        ...('value' in operation && { value: this.secrets.free(operation.value, true) }),
        ...(before !== undefined && { before: text(before) }),
      };
    });
  }
}
