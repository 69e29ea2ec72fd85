// Listens to a runtime: keeps its steps, moves the cursor along them, and brings in those of a file.
import {
  aboutOf,
  checkChoice,
  checkOptions,
  countOption,
  DEV,
  type Difference,
  differenceOfStates,
  type Extensible,
  firstResult,
  type FloeError,
  guardData,
  leaveLine,
  STAYING,
  type Listener,
  messageOf,
  Model,
  type StoreChange,
  type StoreDefinition,
  storesOf,
  type TimeTravel,
  timeTravel,
  type Transition,
} from '../core/internal.js';
import type { AnyAction, AnyStore, DispatchResult, Patch, RunNote } from '../core/index.js';
import { causedBy } from './causes.js';
import { compareLines, type Comparison } from './compare.js';
import { isFact, stepFolded, stillOpen, writtenElsewhere } from './errors.js';
import {
  branchLine,
  checkpointLine,
  interactionLine,
  presentLine,
  stepLine,
  traceLines,
  type TraceFile,
  traceOf,
  type GivenTrace,
  type TraceContents,
} from './file.js';
import { changesOf, type ValueChange } from './history.js';
import { namesOf } from './names.js';
import { recompute, type Recomputing } from './recompute.js';
import { StepMaking } from './step-making.js';
import { Redaction } from './redaction.js';
import { PackedStep, whole } from './packing.js';
import { Interactions, type NotedInteraction } from './interactions.js';
import { sourceFor, type TraceSource } from './source.js';
import { type Branch, type Interaction, type Step } from './step.js';
import { GrowingSum } from './summing.js';
import { EVERY, Timeline, type Known, type States } from './timeline.js';
import { withTitles } from './titles.js';
import type { RecordingOptions, Trace } from './trace.js';

const DEFAULT_LIMIT = 10_000;

export class Recorder implements Trace, Listener {
  private timeline = new Timeline();
  private shownSteps: readonly Step[] | undefined;
  /** The index of the cursor on the line. */
  private at = -1;
  /** The states at the live end, without secrets; edited in place. */
  private tip: Record<string, unknown> = {};
  /** The states at the cursor, while it is in the past. */
  private past: States | undefined;
  private readonly watchers = new Set<(from?: number) => void>();
  /** The position from which on steps are others than when the watchers were notified last. */
  private revised: number | undefined;
  private revisions = 0;
  /** How many steps of the line were folded since it began. */
  private folds = 0;
  private readonly did: Interactions;
  private readonly ignored: ReadonlySet<string>;
  private readonly limit: number;
  private readonly write: ((line: string) => void) | undefined;
  private readonly redaction: Redaction;
  private readonly excluded = new Set<number>();
  /** What steps threw when they were recorded, and where, as far as any was computed again since. */
  private readonly thrown = new Map<number, { readonly reason: string; readonly stack: string }>();
  /** The step that sums up what is not listed, as long as nothing that is listed follows. */
  private sum: GrowingSum | undefined;
  /** The transaction that is being recorded, where nothing of it is to be listed. */
  private quietGroup: number | undefined;
  /** Stores that joined during the look at the past, as they began. */
  private readonly early = new Map<string, StoreChange>();
  isPaused = false;
  /** The group of the last step that was folded. */
  private foldedGroup: number | undefined;
  private readonly making: StepMaking;
  private readonly travel: TimeTravel;

  constructor(
    private readonly host: Extensible,
    { ignore = [], redact, limit, lines }: RecordingOptions,
  ) {
    this.travel = host.use(timeTravel);
    this.ignored = namesOf(ignore);
    this.redaction = new Redaction(redact);
    this.making = new StepMaking(this.redaction);
    this.limit = Math.max(1, countOption('recording', 'limit', limit, DEFAULT_LIMIT));
    this.write = lines;
    this.did = new Interactions(this.limit, (done) => lines?.(interactionLine(done)));
    if (lines)
      for (const line of traceLines({ steps: [], redacted: this.redaction.places }, new Date(host.now()))) lines(line);
  }

  // ---- recording ----

  transition(transition: Transition): void {
    if ((this.isPaused || this.ignored.size > 0) && this.isQuiet(transition)) {
      // Nothing comes to the line while a sum grows.
      if (this.sumUp(transition)) this.foldOld();
    } else {
      this.list(transition);
      this.foldOld();
    }
    this.changed();
    if (transition.fact === 'initial' && !this.redaction.none) this.checkNames();
  }

  noted({ step: seq, problems = [] }: Transition): void {
    const step = this.timeline.step(seq);
    if (!step || step.fact === 'summed') return;
    this.noteRevised(this.timeline.line.indexOf(step.seq));
    const { redaction } = this;
    const noted = { ...step, problems: problems.map((error) => redaction.message(messageOf(error))) };
    this.timeline.replace(noted);
    this.writeSteps([noted], true);
    this.changed();
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
    const { redaction } = this;
    if (redaction.none) return;
    for (const { action, changed } of transitions) {
      if (action) redaction.action(action);
      for (const { store, after } of changed) redaction.learnFrom(store.name, after);
    }
  }

  /** Stores may join later, and actions be declared: only a name that looks like another one is a problem. */
  private checkNames(): void {
    const stores = storesOf(this.host);
    // What is said of a store is said of its copies.
    const names = stores.flatMap(({ name, copiedFrom }) => [name, ...copiedFrom]);
    for (const problem of this.redaction.checkNames(
      names,
      stores.flatMap((store) => [
        ...store.types(),
        ...store.copiedFrom.flatMap((name) => store.ownTypes().map((type) => name + type.slice(store.name.length))),
      ]),
    ))
      this.host.problem(problem);
  }

  begin({ name, copiedFrom }: StoreDefinition, state: unknown): unknown {
    if (copiedFrom.length > 0) this.redaction.copied(name, copiedFrom);
    for (const problem of this.redaction.check(name, state)) this.host.problem(problem);
    return state;
  }

  private isQuiet(transition: Transition): boolean {
    const { group } = transition;
    // A transaction is listed as a whole, or not at all.
    return this.isPaused || ((group === undefined || group === this.quietGroup) && this.worksQuietly(transition));
  }

  private worksQuietly({ action, run, outcome }: Transition): boolean {
    const worked = (outcome === 'applied' || outcome === 'unchanged') && run?.phase !== 'failed';
    return worked && this.ignored.has(run?.task ?? action?.type ?? '');
  }

  private list(transition: Transition): void {
    this.endSum();
    const unseen = this.goTo(transition);
    const { timeline } = this;
    const step = this.making.stepFor(transition, timeline);
    transition.step = step.seq;
    timeline.append(step);
    this.moveOn(transition, unseen);
    this.writeSteps([step]);
  }

  /** To where the transition happens; whether that is the live end during a look at the past. */
  private goTo({ unseen }: Transition): boolean {
    if (this.past && !unseen) this.branched();
    return this.past !== undefined;
  }

  /** What the cursor shows is the live end of a branch. */
  branched(): void {
    if (!this.past) return;
    this.endSum();
    this.noteRevised(this.at + 1);
    this.timeline.fork(this.at);
    this.tip = { ...this.past };
    this.past = undefined;
    this.joinEarly();
    // Perhaps nothing follows: a transaction that began the branch may be rolled back.
    this.changed();
  }

  /** Stores that joined at the live end during the look at the past, and are seen in it, join on the branch as well. */
  private joinEarly(): void {
    // What else happened to them happened on the line that is left.
    const changed = Array.from(this.early.values(), (change) => ({
      ...change,
      after: this.host.stateOf(this.host.cells.get(change.store.name)!),
    }));
    this.early.clear();
    if (changed.length === 0) return;
    this.list({
      kind: 'fact',
      fact: 'joined',
      cause: { by: 'runtime' },
      outcome: 'applied',
      changed,
      time: this.host.now(),
      took: 0,
    });
  }

  /** The states after a transition. The cursor stays where it is during a look at the past. */
  private moveOn({ changed, fact }: Transition, unseen: boolean): void {
    const { redaction, tip } = this;
    for (const { store, after } of changed) {
      // The stores' own objects, not copies made by a patch: a return to them notifies no watcher.
      tip[store.name] = this.making.concealed(store, after);
      if (!redaction.none) redaction.noteLive(store.name, after);
    }
    // What a sum comes to is only certain when it is over.
    if (!this.sum) this.timeline.keep(tip);
    if (!unseen) this.at = this.timeline.line.length - 1;
    // A store that joins during a look at the past is seen in the past as it begins.
    else if (fact === 'joined')
      for (const { store, after } of changed) {
        const { screen } = this.host.views;
        // One that only joins the line that goes on unseen joins the branch when that begins.
        if (screen.known[this.host.cells.get(store.name)!.index])
          this.early.set(store.name, { store, before: undefined, after, joined: true });
      }
  }

  /** Adds a transition that is not listed to the step that sums up those since the last listed one; whether that begins. */
  private sumUp(transition: Transition): boolean {
    const unseen = this.past !== undefined && this.goTo(transition);
    let { sum } = this;
    const begins = sum === undefined;
    if (sum === undefined) {
      const { timeline } = this;
      const { line, nextSeq, folded, branch } = timeline;
      this.sum = sum = new GrowingSum(nextSeq, line.lastSeq ?? folded, branch, this.sumOf);
      timeline.append(sum);
    }
    sum.add(transition);
    this.noteRevised(this.timeline.line.length - 1);
    transition.step = sum.seq;
    this.moveOn(transition, unseen);
    return begins;
  }

  private readonly sumOf = (changed: readonly StoreChange[]): Difference =>
    this.making.concealedPatches({ changed, touches: undefined });

  /** The sum is over: something else follows it, or its line is left. It becomes a step like any other, and is written. */
  private endSum(): void {
    const { sum } = this;
    if (!sum) return;
    this.sum = undefined;
    this.timeline.replace(sum.now);
    this.timeline.keep(this.tip, sum.seq);
    if (this.write) this.writeStep(sum.now, false);
  }

  isShown({ step }: Transition): boolean {
    if (step === undefined) return false;
    if (this.timeline.folded !== null && step <= this.timeline.folded) return true;
    const index = this.timeline.line.indexOf(step);
    return index >= 0 && index <= this.at && !this.excluded.has(step);
  }

  private foldOld(): void {
    const { timeline, limit } = this;
    // Some at once: looking at the oldest step each time costs more than the rest of recording.
    if (timeline.size <= limit + Math.min(limit >> 4, 255)) return;
    for (const seq of timeline.dropBranches(limit)) this.excluded.delete(seq);
    const { line } = timeline;
    const open = firstResult(this.host, (hooks) => hooks.pinned?.())?.step ?? Infinity;
    let count = 0;
    // Steps that commit or roll back together are folded together.
    while (
      count < this.at &&
      line.seqAt(count)! < open &&
      (timeline.size - count > limit || (this.foldedGroup !== undefined && line.groupAt(count) === this.foldedGroup))
    ) {
      this.excluded.delete(line.seqAt(count)!);
      this.foldedGroup = line.groupAt(count);
      count++;
    }
    timeline.fold(count);
    this.at -= count;
    this.folds += count;
    if (count > 0) this.did.forget(timeline.folded!);
  }

  /** Notes that the steps from an index on are others now; a step that is not on the line is none of them. */
  private noteRevised(index: number): void {
    if (index < 0) return;
    this.revisions++;
    this.revised = Math.min(this.revised ?? Infinity, this.folds + index);
  }

  private changed(): void {
    this.shownSteps = undefined;
    const from = this.revised;
    this.revised = undefined;
    if (this.watchers.size === 0) return;
    for (const watcher of [...this.watchers]) {
      try {
        watcher(from);
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  pause(): void {
    this.isPaused = true;
    this.changed();
  }
  resume(): void {
    this.isPaused = false;
    this.changed();
  }

  mark(note: string, seq = this.cursor): void {
    this.endSum();
    const step = this.timeline.line.at(this.timeline.indexOf(seq))!;
    const { note: _before, ...rest } = step;
    const marked: Step = note === '' ? rest : { ...rest, note: this.redaction.message(note) };
    this.timeline.replace(marked);
    this.writeSteps([marked], true);
    this.noteRevised(this.timeline.line.indexOf(seq));
    this.changed();
  }

  get interactions(): readonly Interaction[] {
    const { redaction } = this;
    const all = this.did.list(this.timeline.nextSeq);
    return redaction.none ? all : all.map((one) => redaction.interaction(one));
  }

  noteInteraction(what: NotedInteraction): () => void {
    checkOptions('trace.noteInteraction', what, ['kind', 'name', 'role', 'key', 'onlyWithSteps']);
    checkChoice('trace.noteInteraction', 'kind', what.kind, ['click', 'key', 'submit', 'input']);
    // What the user does must not disappear in a sum that began before it, nor the sum go on with what follows it.
    this.endSum();
    const { redaction } = this;
    const noted = redaction.none ? what : redaction.interaction(what);
    const end = this.did.begin(noted, this.host.now(), this.timeline.nextSeq);
    return () => {
      this.endSum();
      if (end(this.timeline.nextSeq)) this.changed();
    };
  }

  // ---- reading ----

  get steps(): readonly Step[] {
    return (this.shownSteps ??= DEV ? Object.freeze(this.timeline.line.slice()) : this.timeline.line.slice());
  }
  step(seq: number): Step | undefined {
    return this.timeline.step(seq);
  }
  get cursor(): number {
    return this.timeline.line.seqAt(this.at) ?? -1;
  }
  get isLive(): boolean {
    return this.past === undefined;
  }
  get branches(): readonly Branch[] {
    const { redaction, timeline } = this;
    if (redaction.none) return timeline.branches;
    return timeline.branches.map((branch) => ({ ...branch, name: redaction.message(branch.name) }));
  }
  get branch(): number {
    return this.timeline.branch;
  }

  stateAt(seq: number): States {
    const states = { ...this.statesAt(this.timeline.indexOf(seq)) };
    guardData(states, { at: '', what: 'The recorded state' });
    return states;
  }

  /** The states at the cursor and at the live end, from which others are worked out. */
  private get known(): Known[] {
    const known: Known[] = [{ index: this.timeline.line.length - 1, states: this.tip }];
    if (this.past) known.push({ index: this.at, states: this.past });
    if (this.timeline.folded === null) known.push({ index: -1, states: {} });
    return known;
  }

  private statesAt(index: number): States {
    return this.timeline.statesAt(index, this.known);
  }

  changes(from: number, to: number): Patch {
    return differenceOfStates(this.stateAt(from), this.stateAt(to)).changes;
  }

  history(pointer: string): readonly ValueChange[] {
    const steps = this.timeline.line.slice(0, this.at + 1).reverse();
    return [...changesOf(pointer, steps, this.statesAt(this.at))].reverse();
  }

  compareBranches(a: number, b: number): Comparison {
    return compareLines(this.contentsOf(a), this.contentsOf(b));
  }

  private contentsOf(branch: number): { steps: readonly Step[]; states: States } {
    const { common, steps } = this.timeline.lineOf(branch);
    const before = this.statesAt(-1);
    return { steps: [...this.timeline.line.slice(0, common + 1), ...steps], states: before };
  }

  /** The history as tools read it. */
  readonly source: TraceSource = sourceFor({
    timeline: () => this.timeline,
    folds: () => this.folds,
    interactions: () => this.interactions,
    redacted: () => this.redaction.places,
    stores: () => storesOf(this.host) as readonly unknown[] as readonly AnyStore[],
    statesAt: (index, beside) => this.timeline.statesAt(index, [...this.known, ...beside]),
    revision: () => this.revisions,
    about: (kind, name) => aboutOf(this.host, kind, name),
    watch: (listener) => this.watch(listener),
    conceal: (data) => this.redaction.freed(data),
    report: (error) => this.host.problem(error),
  });

  // ---- moving ----

  seek(seq: number): void {
    this.moveTo(this.timeline.indexOf(seq));
  }

  private moveTo(wanted: number): void {
    const { line } = this.timeline;
    // What commits or rolls back together was never seen in part.
    const index = line.endOfGroup(wanted);
    if (index === this.at) return;
    const isLive = index === line.length - 1;
    const states = isLive ? this.tip : this.statesAt(index);
    const before = this.at;
    // What is open is asked for while the states are put in place: it is on the line up to here.
    this.at = index;
    try {
      this.travel.restore(this.redaction.reveal(states), isLive);
    } catch (error) {
      this.at = before;
      throw error;
    }
    this.past = isLive ? undefined : { ...states };
    this.early.clear();
    this.foldOld();
    this.changed();
  }

  back(): void {
    const present = this.changingAt(this.at, -1);
    const before = present === undefined ? -1 : this.timeline.line.startOfGroup(present) - 1;
    const target = this.changingAt(before, -1);
    if (target !== undefined) this.moveTo(target);
  }

  forward(): void {
    const target = this.changingAt(this.at + 1, 1);
    const next = target === undefined ? undefined : this.timeline.line.endOfGroup(target) + 1;
    if (next === undefined || this.changingAt(next, 1) === undefined) this.live();
    else this.moveTo(next - 1);
  }

  /** The first index, from one on and in one direction, of a step that changed state. */
  private changingAt(from: number, by: 1 | -1): number | undefined {
    const { line } = this.timeline;
    for (let i = from; i >= 0 && i < line.length; i += by) {
      const { changes, fact } = line.at(i)!;
      if (changes.length > 0 && fact !== 'summed') return i;
    }
    return undefined;
  }

  live(): void {
    this.moveTo(this.timeline.line.length - 1);
  }

  switchTo(branch: number): void {
    const { timeline } = this;
    this.endSum();
    const { common } = timeline.lineOf(branch);
    // Runs that did not begin on it are cancelled while this line is still the live one.
    leaveLine(this.host, ({ step }) => step !== undefined && step <= (timeline.line.at(common)?.seq ?? -1), 'branch');
    // What ended with the line is a part of that line.
    this.endSum();
    const from = this.statesAt(common);
    this.noteRevised(common + 1);
    timeline.goTo(branch);
    this.write?.(presentLine(timeline.present!));
    this.tip = { ...timeline.statesAt(timeline.line.length - 1, [{ index: common, states: from }]) };
    this.show(timeline.line.length - 1);
    this.travel.arrived('branch', this.claimedRuns());
  }

  /** The runs that the line left under way. */
  private claimedRuns(): RunNote[] {
    const claimed = new Map<number, RunNote>();
    for (const { fact, run } of wholeSteps(this.timeline.line.kept(0))) {
      if (fact === 'runStarted' && run) claimed.set(run.id, run);
      else if (fact === 'runEnded' && run) claimed.delete(run.id);
    }
    return [...claimed.values()];
  }

  nameBranch(branch: number, name: string): void {
    this.endSum();
    const shown = this.redaction.message(name);
    this.timeline.rename(branch, shown);
    this.write?.(branchLine(branch, shown));
    this.changed();
  }

  /** Shows the live end, after it became another one. */
  private show(index: number): void {
    const isLive = index === this.timeline.line.length - 1;
    const known = [{ index: this.timeline.line.length - 1, states: this.tip }];
    // A copy: where nothing lies between, these are the live states themselves, which go on.
    this.past = isLive ? undefined : { ...this.timeline.statesAt(index, known) };
    this.at = index;
    this.early.clear();
    const live = this.redaction.reveal(this.tip);
    for (const name of Object.keys(live)) this.redaction.noteLive(name, live[name]);
    this.travel.restore(isLive ? live : this.redaction.reveal(this.past!), isLive, live);
    this.changed();
  }

  // ---- what if ----

  exclude(seq: number, options: { readonly withCaused?: boolean } = {}): void {
    checkOptions('trace.exclude', options, ['withCaused']);
    const { withCaused = false } = options;
    this.count(seq, withCaused, (one) => this.excluded.add(one));
  }

  include(seq: number, options: { readonly withCaused?: boolean } = {}): void {
    checkOptions('trace.include', options, ['withCaused']);
    const { withCaused = false } = options;
    this.count(seq, withCaused, (one) => this.excluded.delete(one));
  }

  private count(seq: number, withCaused: boolean, change: (seq: number) => void): void {
    const { timeline } = this;
    this.endSum();
    const index = timeline.indexOf(seq);
    const step = timeline.line.at(index)!;
    if (step.kind === 'fact') throw isFact(seq, step.fact);
    // So long a group that not all of it is kept.
    if (step.group !== undefined && step.group === this.foldedGroup) throw stepFolded(timeline.folded!, seq);
    // Taking it back later could not be computed any more.
    const open = firstResult(this.host, (hooks) => hooks.pinned?.())?.step;
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
    const before = this.statesAt(timeline.line.indexOf(first) - 1);
    for (const one of chosen) change(one);
    this.revise(first, before, all);
  }

  /** Computes the steps from one on again, on all lines. */
  private revise(first: number, before: States, all: readonly (Step | PackedStep)[]): void {
    const { timeline, redaction, host } = this;
    const orphans = causedBy(all, this.excluded);
    for (const step of all) {
      const { seq, reason, stack } = step as Partial<Step> & Pick<Step, 'seq'>;
      if (reason !== undefined && stack !== undefined && !this.thrown.has(seq)) this.thrown.set(seq, { reason, stack });
    }
    const how: Recomputing = {
      model: new Model(storesOf(host)),
      stackOf: (seq, reason) => {
        const thrown = this.thrown.get(seq);
        return thrown?.reason === reason ? thrown.stack : undefined;
      },
      redaction,
      refuses: host.options.invariants === 'refuse',
      isExcluded: (seq) => this.excluded.has(seq),
      isOrphan: ({ seq }) => orphans.has(seq),
    };
    const { line } = timeline;
    const start = line.indexOf(first);
    this.noteRevised(start);
    const chains: (Step | PackedStep)[][] = [line.kept(start), ...timeline.chainsAside()];
    const forks = new Set(chains.slice(1).map((chain) => chain[0].after));
    const statesAfter = new Map<number | null, States>([[line.at(start - 1)?.seq ?? timeline.folded, before]]);
    const revised: (Step | PackedStep)[] = [];
    const follows = host.recorder?.listeners.some(({ recomputed }) => recomputed) === true && redaction.none;
    const stores = new Map(storesOf(host).map((store) => [store.name, store]));
    let live = before;
    timeline.forgetFrom(start);
    for (const chain of chains) {
      const from = statesAfter.get(chain[0].after);
      // It left before the first step that is another one now.
      if (!from) continue;
      let previous: States = { ...from };
      const again = (step: Step | PackedStep, after: States): void => {
        revised.push(step);
        if (follows) {
          const changed = [...step.stores].flatMap((name): StoreChange[] => {
            const store = stores.get(name);
            return store ? [{ store, before: previous[name], after: after[name] }] : [];
          });
          // A sum does not say what each of its actions did.
          if ((step as Partial<Step>).fact !== 'summed')
            host.recorder!.each((listener) => listener.recomputed?.(step.seq, changed));
          previous = { ...after };
        }
        if (forks.has(step.seq)) statesAfter.set(step.seq, { ...after });
        if (chain === chains[0]) timeline.keep(after, step.seq);
      };
      const end = host.computing.within('what is computed again', () => recompute(chain, from, how, again));
      if (chain === chains[0]) live = end;
    }
    for (const [i, step] of revised.entries()) {
      if (i < chains[0].length) line.set(start + i, step);
      else timeline.replace(step);
    }
    this.tip = { ...live };
    this.show(Math.min(this.at, line.length - 1));
    // Runs whose beginning no longer counts are over.
    leaveLine(this.host, ({ step }) => step === undefined || !this.excluded.has(step), 'branch');
    this.travel.arrived('branch', []);
    this.writeSteps(
      revised.sort((a, b) => a.seq - b.seq),
      true,
    );
  }

  // ---- by hand ----

  get actions(): readonly string[] {
    return [...new Set(storesOf(this.host).flatMap((store) => [...store.types()]))].sort();
  }

  send(action: AnyAction): DispatchResult {
    return this.host.dispatch(action, { by: 'inspector' });
  }

  // ---- files ----

  lines(): Iterable<string> {
    const { timeline } = this;
    const contents: TraceContents = {
      steps: withTitles(this.freed(timeline.all()), this.source),
      interactions: this.interactions,
      folded: timeline.folded,
      states: timeline.folded === null ? undefined : this.redaction.freedStates(this.statesAt(-1)),
      names: timeline.named.map((one) => ({ ...one, name: this.redaction.message(one.name) })),
      present: timeline.present,
      redacted: this.redaction.places,
    };
    return traceLines(contents, new Date(this.host.now()));
  }

  export(): string {
    return Array.from(this.lines(), (line) => line + '\n').join('');
  }

  private writeSteps(steps: readonly (Step | PackedStep)[], again = false): void {
    if (this.write) for (const step of steps) this.writeStep(step, again);
  }

  /** The steps as they may leave the process. */
  private *freed(steps: readonly (Step | PackedStep)[]): Iterable<Step> {
    const { redaction } = this;
    for (const step of wholeSteps(steps)) yield redaction.none ? step : redaction.freedStep(step);
  }

  private writeStep(step: Step | PackedStep, again: boolean): void {
    const [written] = this.freed([step]);
    this.write!(stepLine(written, again));
    const isLast = !again && step.seq === this.timeline.line.lastSeq;
    if (isLast && step.seq > 0 && step.seq % EVERY === 0)
      this.write!(checkpointLine(step.seq, this.redaction.freedStates(this.tip)));
  }

  close(): void {
    this.endSum();
  }

  import(file: GivenTrace): { readonly steps: number; readonly problem?: FloeError } {
    if (this.write) throw writtenElsewhere();
    const { redaction } = this;
    const read = redaction.none ? traceOf(file) : concealedTrace(traceOf(file), redaction);
    const { steps, problem, states, names, interactions } = read;
    const timeline = new Timeline();
    timeline.load(read);
    for (const { id, name } of names) timeline.rename(id, name);
    for (const { action } of steps) guardData(action?.payload, { at: '', what: 'A payload in the trace file' });
    const last = timeline.line.length - 1;
    const live = timeline.replayed(states);
    guardData(live, { at: '', what: 'The state in the trace file' });
    // Nothing was touched so far: a file that cannot be replayed throws above.
    leaveLine(this.host, () => false, 'import');
    this.endSum();
    this.timeline = timeline;
    this.folds = 0;
    this.noteRevised(0);
    this.did.load(interactions);
    this.sum = this.foldedGroup = undefined;
    this.making.groupShift = steps.reduce((most, { group = 0 }) => Math.max(most, group), this.making.groupShift);
    const runShift = steps.reduce((most, { run }) => Math.max(most, run?.id ?? 0), this.making.runShift);
    this.excluded.clear();
    this.thrown.clear();
    for (const { seq, excluded } of steps) if (excluded) this.excluded.add(seq);
    this.tip = { ...live };
    this.host.recorder?.each((listener) => listener.replaced?.());
    this.show(last);
    // The ends of its runs have the numbers that the file gives them.
    this.making.runShift = 0;
    this.travel.arrived('import', this.claimedRuns());
    this.making.runShift = runShift;
    return { steps: steps.length, ...(problem && { problem }) };
  }

  watch(listener: (from?: number) => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }
}

/** A file as it would have been recorded here: what it holds at redacted places came from elsewhere. */
const concealedTrace = (read: TraceFile, redaction: Redaction): TraceFile => ({
  ...read,
  states: Object.fromEntries(
    Object.entries(read.states).map(([name, state]) => [name, redaction.conceal(name, state)]),
  ),
  steps: read.steps.map((step) => redaction.stepOfFile(step)),
});

/** One after the other: those that are kept small stay so. */
function* wholeSteps(steps: readonly (Step | PackedStep)[]): Iterable<Step> {
  for (const step of steps) yield whole(step);
}
