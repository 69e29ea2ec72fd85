// Listens to a runtime, and makes the steps of its trace.
import {
  type Difference,
  type Listener,
  messageOf,
  type StoreChange,
  type StoreDefinition,
  storesOf,
  type Transition,
} from '../core/internal.js';
import { namesOf } from './names.js';
import type { TraceState } from './state.js';
import { GrowingSum } from './summing.js';
import type { RecordingOptions } from './trace.js';

export class StepRecorder implements Listener {
  private readonly ignored: ReadonlySet<string>;
  /** The transaction that is being recorded, where nothing of it is to be listed. */
  private quietGroup: number | undefined;

  constructor(
    private readonly state: TraceState,
    { ignore = [] }: RecordingOptions,
  ) {
    this.ignored = namesOf(ignore);
  }

  transition(transition: Transition): void {
    if ((this.state.isPaused || this.ignored.size > 0) && this.isQuiet(transition)) {
      // Nothing comes to the line while a sum grows.
      if (this.sumUp(transition)) this.foldOld();
    } else {
      this.list(transition);
      this.foldOld();
    }
    this.state.changed();
    if (transition.fact === 'initial' && !this.state.redaction.none) this.checkNames();
  }

  noted({ step: seq, problems = [] }: Transition): void {
    const step = this.state.timeline.step(seq);
    if (!step || step.fact === 'summed') return;
    this.state.noteRevised(this.state.timeline.line.indexOf(step.seq));
    const { redaction } = this.state;
    const noted = { ...step, problems: problems.map((error) => redaction.secrets.message(messageOf(error))) };
    this.state.timeline.replace(noted);
    this.state.written.again([noted]);
    this.state.changed();
  }

  committing(transitions: readonly Transition[]): void {
    this.noteSecrets(transitions);
    this.quietGroup = transitions.every((one) => this.worksQuietly(one)) ? transitions[0]?.group : undefined;
  }

  reverting(transitions: readonly Transition[]): void {
    this.noteSecrets(transitions);
    this.quietGroup = undefined;
  }

  /** What stood for a moment inside of a transaction may be said by each of its steps, and by the message that all of them get. */
  private noteSecrets(transitions: readonly Transition[]): void {
    const { redaction } = this.state;
    if (redaction.none) return;
    for (const { action, changed } of transitions) {
      if (action) redaction.action(action);
      for (const { store, after } of changed) redaction.states.learnFrom(store.name, after);
    }
  }

  /** Stores may join later, and actions be declared: only a name that looks like another one is a problem. */
  private checkNames(): void {
    const stores = storesOf(this.state.host);
    // What is said of a store is said of its copies.
    const names = stores.flatMap(({ name, copiedFrom }) => [name, ...copiedFrom]);
    for (const problem of this.state.redaction.rules.checkNames(
      names,
      stores.flatMap((store) => [
        ...store.types(),
        ...store.copiedFrom.flatMap((name) => store.ownTypes().map((type) => name + type.slice(store.name.length))),
      ]),
    ))
      this.state.host.problem(problem);
  }

  begin({ name, copiedFrom }: StoreDefinition, state: unknown): unknown {
    if (copiedFrom.length > 0) this.state.redaction.rules.copied(name, copiedFrom);
    for (const problem of this.state.redaction.rules.check(name, state)) this.state.host.problem(problem);
    return state;
  }

  private isQuiet(transition: Transition): boolean {
    const { group } = transition;
    // A transaction is listed as a whole, or not at all.
    return this.state.isPaused || ((group === undefined || group === this.quietGroup) && this.worksQuietly(transition));
  }

  private worksQuietly({ action, run, outcome }: Transition): boolean {
    const worked = (outcome === 'applied' || outcome === 'unchanged') && run?.phase !== 'failed';
    return worked && this.ignored.has(run?.task ?? action?.type ?? '');
  }

  private list(transition: Transition): void {
    this.state.endSum();
    const unseen = this.goTo(transition);
    const { timeline } = this.state;
    const step = this.state.making.stepFor(transition, timeline);
    transition.step = step.seq;
    timeline.append(step);
    this.moveOn(transition, unseen);
    this.state.written.step(step);
  }

  /** To where the transition happens; whether that is the live end during a look at the past. */
  private goTo({ unseen }: Transition): boolean {
    if (this.state.past && !unseen) this.branched();
    return this.state.past !== undefined;
  }

  /** What the cursor shows is the live end of a branch. */
  branched(): void {
    if (!this.state.past) return;
    this.state.endSum();
    this.state.noteRevised(this.state.at + 1);
    this.state.timeline.fork(this.state.at);
    this.state.tip = { ...this.state.past };
    this.state.past = undefined;
    this.joinEarly();
    // Perhaps nothing follows: a transaction that began the branch may be rolled back.
    this.state.changed();
  }

  /** Stores that joined at the live end during the look at the past, and are seen in it, join on the branch as well. */
  private joinEarly(): void {
    // What else happened to them happened on the line that is left.
    const changed = Array.from(this.state.early.values(), (change) => ({
      ...change,
      after: this.state.host.views.stateOf(this.state.host.cells.get(change.store.name)!),
    }));
    this.state.early.clear();
    if (changed.length === 0) return;
    this.list({
      kind: 'fact',
      fact: 'joined',
      cause: { by: 'runtime' },
      outcome: 'applied',
      changed,
      time: this.state.host.now(),
      took: 0,
    });
  }

  /** The states after a transition. The cursor stays where it is during a look at the past. */
  private moveOn({ changed, fact }: Transition, unseen: boolean): void {
    const { redaction, tip } = this.state;
    for (const { store, after } of changed) {
      // The stores' own objects, not copies made by a patch: a return to them notifies no watcher.
      tip[store.name] = this.state.making.concealed(store, after);
      if (!redaction.none) redaction.states.noteLive(store.name, after);
    }
    // What a sum comes to is only certain when it is over.
    if (!this.state.sum) this.state.timeline.states.keep(tip);
    if (!unseen) this.state.at = this.state.timeline.line.length - 1;
    // A store that joins during a look at the past is seen in the past as it begins.
    else if (fact === 'joined')
      for (const { store, after } of changed) {
        const { screen } = this.state.host.views;
        // One that only joins the line that goes on unseen joins the branch when that begins.
        if (screen.known[this.state.host.cells.get(store.name)!.index])
          this.state.early.set(store.name, { store, before: undefined, after, joined: true });
      }
  }

  /** Adds a transition that is not listed to the step that sums up those since the last listed one; whether that begins. */
  private sumUp(transition: Transition): boolean {
    const unseen = this.state.past !== undefined && this.goTo(transition);
    let { sum } = this.state;
    const begins = sum === undefined;
    if (sum === undefined) {
      const { timeline } = this.state;
      const { line, nextSeq, folded, branch } = timeline;
      this.state.sum = sum = new GrowingSum(nextSeq, line.lastSeq ?? folded, branch, this.sumOf);
      timeline.append(sum);
    }
    sum.add(transition);
    this.state.noteRevised(this.state.timeline.line.length - 1);
    transition.step = sum.seq;
    this.moveOn(transition, unseen);
    return begins;
  }

  private readonly sumOf = (changed: readonly StoreChange[]): Difference =>
    this.state.making.concealedPatches({ changed, touches: undefined });

  isShown({ step }: Transition): boolean {
    if (step === undefined) return false;
    if (this.state.timeline.folded !== null && step <= this.state.timeline.folded) return true;
    const index = this.state.timeline.line.indexOf(step);
    // What is worked on may be the live end, while the screen shows the past.
    const isReached = index <= this.state.at || this.state.host.views.isUnseen;
    return index >= 0 && isReached && !this.state.excluded.has(step);
  }

  foldOld(): void {
    const { timeline, limit } = this.state;
    if (timeline.line.isLeft) return;
    // Some at once: looking at the oldest step each time costs more than the rest of recording.
    if (timeline.size <= limit + Math.min(limit >> 4, 255)) return;
    for (const seq of timeline.dropBranches(limit)) this.state.excluded.delete(seq);
    const { line } = timeline;
    const open = this.state.host.features.first((hooks) => hooks.pinned?.())?.step ?? Infinity;
    let count = 0;
    let group = line.foldedGroup;
    // Steps that commit or roll back together are folded together.
    while (
      count < this.state.at &&
      line.seqAt(count)! < open &&
      (timeline.size - count > limit || (group !== undefined && line.groupAt(count) === group))
    ) {
      this.state.excluded.delete(line.seqAt(count)!);
      group = line.groupAt(count);
      count++;
    }
    timeline.fold(count);
    this.state.at -= count;
    if (count > 0) this.state.did.forget(timeline.folded!);
  }

  close(): void {
    this.state.endSum();
  }
}
