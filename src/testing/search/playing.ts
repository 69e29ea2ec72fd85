// Plays a story: a runtime of its own, whose time, chance and responses are held, so that one thing happens after the other.
import {
  eachBroken,
  FloeError,
  hostOf,
  messageOf,
  type DeclaredTask,
  type Extensible,
  type TaskDefinition,
} from '../../core/internal.js';
import { createRuntime, type AnyAction, type Attachment, type Runtime, type TaskContext } from '../../core/index.js';
import type { Trace } from '../../trace/index.js';
import { seeded } from '../chance.js';
import { quiet } from '../quiet.js';
import { openActions, openLog, waitsForNothing } from '../story-helpers.js';
import type { Choice } from './choices.js';
import type { DataHashes } from './data-hashes.js';
import { Faults, type Seen } from './faults.js';
import { Footprint, touched } from './footprint.js';
import { HeldActions } from './held-actions.js';
import { HeldClock } from './held-clock.js';
import { HeldNeeds } from './held-needs.js';
import { ObservedRuns, type ObservedRun, type StoryHost } from './observed-runs.js';
import type { Stage } from './stage.js';

export class Playing implements StoryHost {
  readonly clock = new HeldClock();
  readonly runs = new ObservedRuns(this);
  readonly needs = new HeldNeeds(this);
  readonly held = new HeldActions();
  readonly runtime: Runtime;
  readonly kernel: Extensible;
  readonly hashes: DataHashes;
  footprint = new Footprint();
  private readonly faults: Faults;

  constructor(
    readonly stage: Stage,
    trace?: Attachment<Trace>,
  ) {
    const { options, initial, hashes } = stage;
    this.hashes = hashes;
    this.faults = new Faults(stage);
    this.runtime = createRuntime({
      stores: options.stores,
      ...(options.tasks && { tasks: options.tasks }),
      ...(initial && { initial }),
      ...(trace && { trace }),
      needs: (options.needs ?? []).map((given) => this.needs.given(given)),
      interceptors: (options.interceptors ?? []).map((one) => this.held.holding(one)),
      clock: this.clock,
      random: seeded(1),
      onProblem: (problem) => this.faults.problem(problem),
      features: [
        {
          name: 'search',
          install: () => ({
            context: (run, context) => this.runs.context(run as never, context as TaskContext),
            working: (run, work) => this.runs.work(run.id, work),
          }),
        },
      ],
    });
    this.kernel = hostOf(this.runtime);
  }

  // ---- what happens ----

  /** Lets one thing happen, and all that follows from it without waiting. Whether it could happen. */
  async perform(choice: Choice): Promise<boolean> {
    this.footprint = new Footprint();
    this.clock.isRead = false;
    this.faults.all.length = 0;
    const isOpen = openLog(this.kernel) !== undefined || this.held.all.size > 0;
    const before = this.kernel.views.live.states.slice();
    if (!this.begin(choice)) return false;
    await this.rest();
    this.touch(before);
    if (isOpen || openLog(this.kernel) || this.held.all.size > 0) this.footprint.isAlone = true;
    if (this.clock.isRead) this.footprint.reads.add(touched.clock);
    return true;
  }

  /** Everything that needs no time has happened. @throws FLOE_NO_OUTCOMES */
  async rest(): Promise<void> {
    await quiet();
    this.runs.paused();
    if (this.needs.missing) throw this.needs.missing;
  }

  private begin(choice: Choice): boolean {
    switch (choice.does) {
      case 'dispatch':
        this.dispatching(choice.action);
        this.trying(() => this.runtime.dispatch(choice.action));
        return true;
      case 'run':
        this.starting(choice.call.task);
        // Who started it looks at its status: its failure is seen.
        this.runtime.run(choice.call).catch(() => undefined);
        return true;
      case 'respond': {
        const call = this.needs.calls.get(choice.call);
        if (!call || choice.outcome >= call.outcomes.length) return false;
        this.needs.respond(call, choice.outcome);
        return true;
      }
      case 'wait': {
        const timer = [...this.clock.timers].find(({ number }) => number === choice.timer);
        if (!timer) return false;
        this.footprint.writes.add(touched.clock);
        this.clock.fire(timer);
        return true;
      }
      case 'cancel': {
        const observed = this.runs.all.get(choice.run);
        if (!observed || observed.run.ended) return false;
        this.touchRun(observed);
        observed.run.cancel();
        return true;
      }
      case 'decide': {
        const held = this.held.all.get(choice.held);
        if (held) this.trying(() => held.decide(choice.proceeds));
        return held !== undefined;
      }
    }
  }

  /** Lets an action happen, whose change may throw. @throws FLOE_UNKNOWN_ACTION */
  private trying(act: () => unknown): void {
    try {
      act();
    } catch (error) {
      if (error instanceof FloeError && error.code === 'FLOE_UNKNOWN_ACTION') throw error;
      this.threw(error);
    }
  }

  /** A run and those that run it are concerned. */
  touchRun(observed: ObservedRun | undefined): void {
    for (let one = observed; one; one = one.parent) this.footprint.writes.add(touched.run(one.run.id));
  }

  // ---- what is so ----

  /** Nothing will happen any more by itself. */
  get isAtRest(): boolean {
    return this.needs.calls.size === 0 && this.held.all.size === 0 && this.clock.next().length === 0;
  }

  /** The live states of the stores. */
  get states(): Readonly<Record<string, unknown>> {
    const { views, cells } = this.kernel;
    const states: Record<string, unknown> = {};
    for (const [name, cell] of cells) if (!cell.store.internal) states[name] = views.live.states[cell.index];
    return states;
  }

  serve(run: ObservedRun, given: () => unknown): unknown {
    return this.needs.serve(run, given());
  }

  // ---- what is noticed ----

  dispatching(action: AnyAction): void {
    const { footprint, kernel, stage } = this;
    footprint.writes.add(touched.type(action.type));
    if (stage.options.interceptors) footprint.readsAll = true;
    try {
      const { stores, tasks } = kernel.handlers.to(action);
      for (const { cell } of stores) footprint.writes.add(touched.store(cell.store.name));
      for (const task of tasks) this.starting(task);
    } catch {
      // No store handles it: dispatching says so.
    }
  }

  /** Whether a run begins depends on what it overlaps with, and on what `unless` reads. */
  starting(task: DeclaredTask): void {
    const { statuses, options } = task as TaskDefinition;
    this.footprint.reads.add(touched.store(statuses.name));
    if (options.unless) this.footprint.readsAll = true;
  }

  private touch(before: readonly unknown[]): void {
    const { states } = this.kernel.views.live;
    for (const { index, store } of this.kernel.cells.values())
      if (states[index] !== before[index]) this.footprint.writes.add(touched.store(store.name));
  }

  threw(error: unknown): void {
    this.faults.threw(error);
  }

  /** What should not be, now that everything is quiet. */
  judge(): readonly Seen[] {
    const { runs, stage } = this;
    if (runs.looping !== undefined)
      this.faults.note({ kind: 'loop', what: `the task '${runs.looping}' goes round without a pause` });
    if (!this.isAtRest) return this.faults.all;
    for (const { run, pending } of runs.all.values())
      if (pending === 0 && waitsForNothing(run))
        this.faults.note({
          kind: 'under way',
          what: `a run of '${run.task.name}' waits for something that the search does not hold, or for ever`,
        });
    for (const type of openActions(this.kernel))
      this.faults.note({ kind: 'optimistic', what: `'${type}' is neither confirmed nor reverted` });
    for (const [name, rule] of Object.entries(stage.options.atRest ?? {})) {
      try {
        if (!rule(this.runtime.read, this.needs.knownOf)) this.faults.note({ kind: 'at rest', what: name });
      } catch (error) {
        this.faults.note({ kind: 'at rest', what: name, threw: messageOf(error) });
      }
    }
    return this.faults.all;
  }

  /** The rules that do not hold in the beginning. */
  beginning(): readonly Seen[] {
    const { states } = this;
    eachBroken(
      this.stage.stores.map((store) => ({ store, after: states[store.name] })),
      (what, thrown) =>
        this.faults.note({ kind: 'rule', what, ...(thrown !== undefined && { threw: messageOf(thrown) }) }),
    );
    return this.judge();
  }

  close(): void {
    void this.runtime.close();
  }
}
