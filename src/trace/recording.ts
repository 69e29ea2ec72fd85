import { differenceOf } from '../core/diff.js';
import { messageOf, type FloeError } from '../core/errors.js';
import { applyPatch, type AnyCreator, type AnyTask } from '../core/index.js';
import { guardData } from '../core/plain.js';
import type { StoreDefinition } from '../core/store.js';
import {
  ATTACH,
  type Attachment,
  type Host,
  type Listener,
  type StoreChange,
  type Transition,
} from '../core/transition.js';
import { noSuchBranch, noSuchStep } from './errors.js';
import { readTrace, traceLines } from './file.js';
import type { Branch, Step } from './step.js';

/** The recorded history of a runtime, and the way through it. */
export interface Trace {
  /** The steps of the present branch, oldest first. A new array whenever it changes. */
  readonly steps: readonly Step[];
  /** The `seq` of the step whose state is shown. */
  readonly cursor: number;
  /** Whether the newest state of the branch is shown. */
  readonly isLive: boolean;
  /** All branches. A dispatch in the past begins one. */
  readonly branches: readonly Branch[];
  /** Shows the state after a step. */
  seek(seq: number): void;
  /** Goes back to the nearest earlier step that changed state; sums of what is not listed are passed by. */
  back(): void;
  /** Goes forward to the nearest later step that changed state. */
  forward(): void;
  /** Goes to the newest state. */
  live(): void;
  /** Shows the newest state of another branch, which becomes the present one. */
  switchTo(branch: number): void;
  /** The whole state tree after a step, by store name. */
  stateAt(seq: number): Readonly<Record<string, unknown>>;
  /** The trace as a file: JSON Lines text. */
  export(): string;
  /**
   * Takes a trace file in place of this history, and shows its newest state.
   * @returns how many steps it holds, and what is wrong with the file if it was cut short
   * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW; then nothing changed
   */
  import(file: string): { readonly steps: number; readonly problem?: FloeError };
  /** Calls `listener` after each new step and each move. Returns a function that stops it. */
  watch(listener: () => void): () => void;
}

type States = Readonly<Record<string, unknown>>;

/** What a trace is to hold. */
export interface RecordingOptions {
  /**
   * Actions that would bury the others, by creator or type, and tasks whose runs would. They are applied as ever; what they
   * come to between two listed steps is one step with their count. Default: none.
   */
  readonly ignore?: readonly (AnyCreator | AnyTask | string)[];
}

/** The step that sums up what is not listed, as long as nothing that is listed follows. */
interface Sum {
  readonly step: Step;
  /** The stores that it changed, as they were before the first of its actions. */
  readonly from: Map<StoreDefinition, StoreChange>;
}

class Recorder implements Trace, Listener {
  private readonly all = new Map<number, Step>();
  private readonly tips = new Map<number, { from: number | null; tip: number }>();
  private line: Step[] = [];
  private shown: readonly Step[] | undefined;
  private at = -1;
  private branch = 0;
  private nextSeq = 0;
  /** The state tree after the step at the cursor. */
  private tree: States = {};
  /** The newest state tree of the branch, where it is at hand. */
  private liveTree: States | undefined;
  private readonly seqs = new WeakMap<Transition, number>();
  private readonly watchers = new Set<() => void>();
  private readonly ignored: ReadonlySet<string>;
  private sum: Sum | undefined;

  constructor(
    private readonly host: Host,
    { ignore = [] }: RecordingOptions,
  ) {
    this.ignored = new Set(
      ignore.map((one) => (typeof one === 'string' ? one : 'definition' in one ? one.definition.name : one.type)),
    );
  }

  // ---- recording ----

  transition(transition: Transition): void {
    const { action: sent, run: ofRun, outcome: became } = transition;
    const isQuiet =
      (became === 'applied' || became === 'unchanged') &&
      ofRun?.phase !== 'failed' &&
      this.ignored.has(ofRun?.task ?? sent?.type ?? '');
    if (isQuiet) this.sumUp(transition);
    else this.list(transition);
  }

  private list(transition: Transition): void {
    const { kind, fact, action, cause, outcome, changed, took, time, reason, group, problems, run, about } = transition;
    const { changes, undo } = differenceOf(transition);
    const unseen = this.goTo(transition);
    const seqOf = (one: Transition | undefined): number | undefined => one && this.seqs.get(one);
    const causedBy = seqOf(cause.of);
    const aboutStep = seqOf(about);
    const step: Step = {
      seq: this.nextSeq++,
      time,
      kind,
      ...(fact && { fact }),
      ...(action && { action }),
      cause: {
        by: cause.by,
        ...(causedBy !== undefined && { step: causedBy }),
        ...(cause.run !== undefined && { run: cause.run }),
      },
      stores: changed.map(({ store }) => store.name),
      changes,
      undo,
      took,
      outcome,
      after: this.line.at(-1)?.seq ?? null,
      branch: this.branch,
      ...(group !== undefined && { group }),
      ...(reason !== undefined && { reason: messageOf(reason) }),
      ...(problems.length > 0 && { problems: problems.map(messageOf) }),
      ...(run && { run }),
      ...(aboutStep !== undefined && { about: aboutStep }),
    };
    this.seqs.set(transition, step.seq);
    this.append(step);
    this.moveOn(transition, unseen);
    this.changed();
  }

  /** To where the transition happens; whether that is the live end during a look at the past. */
  private goTo({ unseen }: Transition): boolean {
    if (this.isLive) return false;
    if (unseen) this.liveTree ??= this.treeAt(this.line.length - 1);
    else this.fork();
    return unseen === true;
  }

  /** The trees after a transition. The cursor stays where it is during a look at the past. */
  private moveOn({ changed, fact }: Transition, unseen: boolean): void {
    // The stores' own objects, not copies made by a patch: coming back to them tells nobody of a change.
    const after = Object.fromEntries(changed.map(({ store, after }) => [store.name, after]));
    if (unseen) {
      this.liveTree = { ...this.liveTree, ...after };
      // A store that joins during a look at the past is seen in the past as it begins.
      if (fact === 'joined' || fact === 'rehydrated') this.tree = { ...this.tree, ...after };
    } else {
      this.tree = this.liveTree = { ...this.tree, ...after };
      this.at = this.line.length - 1;
    }
  }

  /** Adds a transition that is not listed to the step that sums up those since the last listed one. */
  private sumUp(transition: Transition): void {
    const unseen = this.goTo(transition);
    const last = this.line.at(-1);
    const known = this.sum?.step === last && last?.branch === this.branch ? this.sum : undefined;
    const from = known?.from ?? new Map<StoreDefinition, StoreChange>();
    for (const change of transition.changed) {
      const first = from.get(change.store) ?? change;
      from.set(change.store, { ...first, after: change.after });
    }
    const changed = [...from.values()].filter(({ before, after }) => before !== after);
    const step: Step = {
      seq: known ? known.step.seq : this.nextSeq++,
      time: transition.time,
      kind: 'fact',
      fact: 'summed',
      cause: { by: 'runtime' },
      stores: changed.map(({ store }) => store.name),
      ...differenceOf({ ...transition, changed, touches: undefined }),
      took: (known?.step.took ?? 0) + transition.took,
      outcome: changed.length > 0 ? 'applied' : 'unchanged',
      after: known ? known.step.after : (last?.seq ?? null),
      branch: this.branch,
      count: (known?.step.count ?? 0) + 1,
    };
    this.sum = { step, from };
    this.seqs.set(transition, step.seq);
    if (known) {
      this.all.set(step.seq, step);
      this.line[this.line.length - 1] = step;
    } else this.append(step);
    this.moveOn(transition, unseen);
    this.changed();
  }

  isShown(transition: Transition): boolean {
    const seq = this.seqs.get(transition);
    return seq !== undefined && this.line.lastIndexOf(this.all.get(seq)!, this.at) >= 0;
  }

  private append(step: Step): void {
    this.all.set(step.seq, step);
    this.line.push(step);
    const known = this.tips.get(step.branch);
    if (known) known.tip = step.seq;
    else this.tips.set(step.branch, { from: step.after, tip: step.seq });
    this.nextSeq = Math.max(this.nextSeq, step.seq + 1);
  }

  private fork(): void {
    this.line = this.line.slice(0, this.at + 1);
    this.branch = Math.max(...this.tips.keys()) + 1;
  }

  private changed(): void {
    this.shown = undefined;
    for (const watcher of [...this.watchers]) {
      try {
        watcher();
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  // ---- reading ----

  get steps(): readonly Step[] {
    return (this.shown ??= this.line.slice());
  }
  get cursor(): number {
    return this.line[this.at]?.seq ?? -1;
  }
  get isLive(): boolean {
    return this.at === this.line.length - 1;
  }
  get branches(): readonly Branch[] {
    return Array.from(this.tips, ([id, { from, tip }]) => ({
      id,
      name: id === 0 ? 'first' : `branch ${id}`,
      from,
      tip,
    }));
  }

  stateAt(seq: number): States {
    return this.treeAt(this.indexOf(seq));
  }

  private indexOf(seq: number): number {
    const index = this.line.findIndex((step) => step.seq === seq);
    if (index < 0) throw noSuchStep(seq, this.line[0]?.seq ?? 0, this.line.at(-1)?.seq ?? 0);
    return index;
  }

  /** The state tree after the step at an index, from the one at the cursor. */
  private treeAt(index: number): States {
    let { tree } = this;
    for (let i = this.at; i > index; i--) tree = applyPatch(tree, this.line[i].undo);
    for (let i = this.at + 1; i <= index; i++) tree = applyPatch(tree, this.line[i].changes);
    return tree;
  }

  // ---- moving ----

  seek(seq: number): void {
    this.moveTo(this.indexOf(seq));
  }

  private moveTo(index: number): void {
    if (index === this.at) return;
    this.tree = (index === this.line.length - 1 && this.liveTree) || this.treeAt(index);
    this.at = index;
    this.show();
  }

  private show(): void {
    this.host.restore(this.tree, this.isLive);
    this.changed();
  }

  back(): void {
    const present = this.changingAt(this.at, -1);
    const target = present === undefined ? undefined : this.changingAt(present - 1, -1);
    if (target !== undefined) this.moveTo(target);
  }

  forward(): void {
    const target = this.changingAt(this.at + 1, 1);
    if (target === undefined || this.changingAt(target + 1, 1) === undefined) this.live();
    else this.moveTo(target);
  }

  /** The first index, from one on and in one direction, of a step that changed state. */
  private changingAt(from: number, by: 1 | -1): number | undefined {
    for (let i = from; i >= 0 && i < this.line.length; i += by) {
      const { changes, fact } = this.line[i];
      if (changes.length > 0 && fact !== 'summed') return i;
    }
    return undefined;
  }

  live(): void {
    this.moveTo(this.line.length - 1);
  }

  switchTo(branch: number): void {
    const found = this.tips.get(branch);
    if (!found) throw noSuchBranch(branch, [...this.tips.keys()]);
    const line = this.lineTo(found.tip);
    let common = 0;
    while (common < line.length && line[common] === this.line[common]) common++;
    // Runs that did not begin on it are cancelled while this line is still the live one.
    const shared = new Set(line.slice(0, common));
    this.host.leave((transition) => shared.has(this.all.get(this.seqs.get(transition) ?? -1)!));
    this.moveTo(Math.min(this.at, common - 1));
    this.line = line;
    this.branch = branch;
    this.liveTree = undefined;
    this.live();
    this.changed();
  }

  private lineTo(tip: number): Step[] {
    const line: Step[] = [];
    for (let step = this.all.get(tip); step; step = step.after === null ? undefined : this.all.get(step.after))
      line.push(step);
    return line.reverse();
  }

  // ---- files ----

  export(): string {
    return Array.from(traceLines(this.all.values(), new Date(this.host.now())), (line) => line + '\n').join('');
  }

  import(file: string): { readonly steps: number; readonly problem?: FloeError } {
    const { steps, problem } = readTrace(file);
    const fresh = new Recorder(this.host, {});
    for (const step of steps) {
      fresh.append(step);
      guardData(step.action?.payload, { at: '', what: 'A payload in the trace file' });
    }
    const last = steps.at(-1);
    fresh.line = last ? fresh.lineTo(last.seq) : [];
    fresh.tree = fresh.treeAt(fresh.line.length - 1);
    guardData(fresh.tree, { at: '', what: 'The state in the trace file' });
    // Nothing was touched so far: a file that cannot be replayed throws above.
    this.host.leave(() => false);
    this.all.clear();
    this.tips.clear();
    this.nextSeq = fresh.nextSeq;
    for (const [seq, step] of fresh.all) this.all.set(seq, step);
    for (const [id, tip] of fresh.tips) this.tips.set(id, tip);
    this.line = fresh.line;
    this.tree = fresh.tree;
    this.branch = last?.branch ?? 0;
    this.liveTree = this.tree;
    this.at = this.line.length - 1;
    this.show();
    return { steps: steps.length, ...(problem && { problem }) };
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }
}

/**
 * Records every transition of a runtime, so that it can be looked at, moved through and saved.
 * @example
 * const runtime = createRuntime({ stores: [visits], trace: recording() });
 * runtime.trace.back();
 */
export const recording = (options: RecordingOptions = {}): Attachment<Trace> => ({
  [ATTACH](host) {
    const recorder = new Recorder(host, options);
    return { face: recorder, listener: recorder };
  },
});
