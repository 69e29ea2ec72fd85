// One tab, device or process: a runtime of the simulated application, and what the program holds of it.
import type { AnyAction, Interceptor, Optimistic, Problem, Run, Runtime, Source, TaskContext } from 'floe';
import type { Persistence } from 'floe/persist';
import type { Step, Trace, UndoStack } from 'floe/trace';
import { declare, declareAddress, type Application, type Blueprint, type Declared, type Hooks } from './application.js';
import type { Library } from './library.js';
import { Line } from './model/line.js';
import { text, type Plain } from './model/plain.js';
import type { UndoModel } from './oracles/undo.js';
import { Planned } from './planned.js';
import type { Transcript } from './transcript.js';
import { SimulatedBar } from './world/bar.js';
import type { World } from './world/world.js';

/** A question that waits for a response of the program. */
export interface Question {
  respond(value: number): void;
  fail(): void;
}

/** An optimistic action that the program holds. */
export interface Handle {
  readonly action: AnyAction;
  readonly optimistic: Optimistic;
  settled: boolean;
}

export interface Watched {
  readonly name: string;
  readonly source: Source<unknown>;
  /** What it was notified of last, as text; what it threw where it threw. */
  last: string;
  readonly notified: string[];
}

export interface SessionOptions {
  readonly version: 1 | 2;
  readonly traced: boolean;
  /** What its runtime is given to begin with. */
  readonly given?: Given;
  /** It does nothing. */
  readonly isBeside?: boolean;
}

/** Nothing, the states as they begin, those without a table, or those with rows that nothing else leads to. */
export type Given = 'none' | 'whole' | 'partial' | 'rows';

type FullRuntime = Runtime & { readonly trace?: Trace; readonly persistence?: Persistence };

export class Session {
  app: Application;
  runtime: FullRuntime;
  undo: UndoStack | undefined;
  /** What the model knows of the line of transitions. */
  readonly line: Line | undefined;
  private readonly hooks: Hooks;
  context: TaskContext | undefined;
  /** What the model knows of the user's undo. */
  undoModel: UndoModel | undefined;
  /** Where the address is kept and shown, if it is. */
  readonly address: ReturnType<typeof declareAddress> | undefined;
  readonly bar = new SimulatedBar();
  readonly handles: Handle[] = [];
  readonly runs: Run<unknown>[] = [];
  /** Runs that were cancelled since the last check. */
  readonly cancelled: Run<unknown>[] = [];
  readonly held: { proceed(): unknown; stop(): void }[] = [];
  readonly questions: Question[] = [];
  readonly watched: Watched[] = [];
  readonly problems: { readonly code: string; readonly problem: Problem }[] = [];
  /** Lines of a trace file, as they were written. */
  readonly lines: string[] = [];
  /** Where code dispatched in a forbidden place and was not refused. */
  readonly trespasses: string[] = [];
  /** Stores that joined by a copy. */
  readonly copies: Declared[] = [];
  /** Its states at the end. */
  last: Record<string, Plain> = {};
  lastSteps: readonly Step[] = [];
  /** What is recorded is looked at: code of the application runs beside the runtime. */
  isLooking = false;
  /** A file took the place of its history. */
  isReloaded = false;
  /** A transaction is under way. */
  isInside = false;
  /** A batch is under way: code that reads in it says when what is reverted there is one step. */
  isInBatch = false;
  isFrozen = false;
  isGone = false;
  /** It was closed, and waits for nothing any more. */
  isOver = false;
  /** The texts of values that were read: they never change. */
  private readonly texts = new WeakMap<object, string>();
  /** The last step that was recorded when the watchers were looked at last. */
  watchedUpTo = -1;
  /** Notes of which it is not known whether they are stored. */
  notes: string[] = [];

  constructor(
    readonly floe: Library,
    readonly world: World,
    readonly blueprint: Blueprint,
    readonly id: number,
    readonly options: SessionOptions,
  ) {
    const { version, traced, given = 'none' } = options;
    // Rules are looked at before there is a runtime.
    const here: { runtime?: FullRuntime } = {};
    this.hooks = {
      naughty: (where) => {
        if (!here.runtime || this.isGone || this.isLooking) return;
        try {
          here.runtime.dispatch(this.app.shiftEnded({ x: 1, note: `naughty in ${where}` }));
          this.trespasses.push(where);
        } catch (error) {
          const { code } = error as { readonly code?: string };
          if (code !== 'FLOE_WRONG_PLACE' && code !== 'FLOE_CLOSED')
            this.trespasses.push(`${where}: ${code ?? String(error)}`);
        }
      },
      ask: () => this.question(),
      confirm: async () => (await this.question()) % 2 === 0,
      hold: (held) => this.held.push(held),
      context: (context) => (this.context = context),
      dispatch: (action) => void here.runtime?.dispatch(action),
    };
    this.app = declare(floe, blueprint, version, this.hooks);
    const { limit, ignores, redacts, writesLines, interceptors, invariants, faultyFeature } = blueprint;
    const { app } = this;
    if (blueprint.address) this.address = declareAddress(floe);
    const own = app.stores.filter(({ blueprint: { late } }) => !late).map(({ store }) => store);
    const stores = [...own, ...(this.address ? [this.address as never] : [])];
    const storage = world.storageFor(this);
    const tide = app.stores.find(({ kind }) => kind === 'tide');
    this.runtime = floe.createRuntime({
      stores,
      tasks: [],
      needs: [app.need.by({ ask: () => this.question() })],
      clock: world.clock.for(this),
      random: () => world.random(),
      invariants,
      ...(given !== 'none' && { initial: initialOf(floe, app, given) }),
      ...(traced && {
        trace: floe.recording({
          limit,
          ...(ignores && tide && { ignore: [tide.creators[3]] }),
          ...(redacts && { redact: { state: ['/*/secret'] } }),
          ...(writesLines && { lines: (line: string) => void this.lines.push(line) }),
        }),
      }),
      ...(storage && { storage }),
      ...(interceptors.length > 0 && { interceptors: app.interceptors as Interceptor[] }),
      ...(faultyFeature && { features: [FAULTY] }),
      onProblem: (problem) => {
        const { error } = problem;
        this.problems.push({ code: (error as { code?: string }).code ?? String(error), problem });
      },
    }) as FullRuntime;
    here.runtime = this.runtime;
    if (this.address) floe.linkAddress(this.runtime, this.address, this.bar);
    void this.runtime.run(app.tasks.hold()).catch(() => undefined);
    if (blueprint.undo)
      this.undo = floe.undoStack(this.runtime, {
        stores: app.stores.map(({ store }) => store),
        together: () => false,
      });
    if (traced) this.line = new Line(blueprint, version, this.runtime.trace!);
    for (const { name, source } of app.sources.slice(0, 12)) this.watch(name, source);
  }

  private question(): Promise<number> {
    return new Promise((resolve, reject) =>
      this.questions.push({
        respond: resolve,
        fail: () => reject(new Planned('the office is closed')),
      }),
    );
  }

  /** The application as another version declares it. */
  like(version: 1 | 2): { readonly app: Application } {
    return { app: declare(this.floe, this.blueprint, version, this.hooks) };
  }

  /** The modules of the application are reloaded: it is declared once more, and its stores are renewed. */
  renew(): void {
    const next = declare(this.floe, this.blueprint, this.options.version, this.hooks);
    const known = this.state();
    for (const { name, store } of next.stores) if (Object.hasOwn(known, name)) this.runtime.renew(store);
    this.app = next;
  }

  /** Watches a source from now on. What it throws is a value, too. */
  private watch(name: string, source: Source<unknown>): void {
    // A store that joins later would join now.
    if (this.isLate(name)) return;
    const watched: Watched = { name, source, last: this.valueOf(source), notified: [] };
    const notified = (value: string): void => {
      watched.notified.push(value);
      watched.last = value;
    };
    this.runtime.watch(source as Source<Plain>, (now) => notified(this.textOf(now)), {
      onError: () => notified('threw'),
    });
    this.watched.push(watched);
  }

  private isLate(name: string): boolean {
    const late = this.app.stores.filter(({ blueprint }) => blueprint.late);
    return late.some((one) => name.startsWith(one.name) || (name === 'across' && one.kind === 'tide'));
  }

  /** The value of a source, as text. */
  valueOf(source: Source<unknown>): string {
    try {
      return this.textOf(this.runtime.read(source));
    } catch {
      return 'threw';
    }
  }

  private textOf(value: unknown): string {
    if (typeof value !== 'object' || value === null) return text(value);
    const known = this.texts.get(value) ?? text(value);
    this.texts.set(value, known);
    return known;
  }

  /** From now on the calls of its program are noted. */
  tell(transcript: Transcript): void {
    const suffix = this.id === 0 ? '' : String(this.id + 1);
    transcript.stores(this.app.stores);
    this.runtime = transcript.reported(this.runtime, `runtime${suffix}`);
    if (this.undo) this.undo = transcript.reported(this.undo, `undo${suffix}`);
    if (this.context) this.context = transcript.reported(this.context, `context${suffix}`);
  }

  /** How it is, for a reader. */
  get condition(): string {
    const { persistence, problems, isGone, options } = this;
    const { tab = 'alone', pending = [] } = persistence ?? {};
    const codes = problems.map(({ code }) => code).join(' ');
    return `version ${options.version}, ${isGone ? 'gone' : tab}, not stored: ${pending.join()}; problems: ${codes}`;
  }

  get trace(): Trace | undefined {
    return this.runtime.trace;
  }
  get persistence(): Persistence | undefined {
    return this.runtime.persistence;
  }
  /** Optimistic actions that are neither confirmed nor reverted, as far as the program knows. */
  get open(): Handle[] {
    return this.handles.filter(({ settled, optimistic }) => !settled && optimistic.result !== 'stopped');
  }
  /** The state of every store, as it is shown. */
  state(): Record<string, Plain> {
    return this.runtime.snapshot();
  }
}

/** A feature of the application whose hooks throw. */
const FAULTY = {
  name: 'faulty',
  install: () => ({
    after(action: AnyAction) {
      const { payload } = action as { readonly payload?: { readonly x?: number } };
      if (payload?.x === 9) throw new Error('a feature threw on purpose');
    },
    close() {
      throw new Error('a feature threw on purpose');
    },
  }),
};

const ROWS = {
  ...{ id: 'beside', phase: 'gone', tugs: [] },
  vessel: { hull: 'beside', operator: { id: 'beside' } },
  place: { kind: 'berth', id: 'beside' },
};

/** A snapshot to begin with; a partial one lacks a table, as one of an older version would. */
function initialOf(floe: Library, { stores }: Application, given: Given): Record<string, unknown> {
  const other = floe.createRuntime({ stores: stores.map(({ store }) => store) });
  if (given === 'rows')
    for (const { store, kind } of stores) if (kind === 'port') other.dispatch((store as Plain).ingest('visit', ROWS));
  const states = other.snapshot();
  if (given !== 'partial') return states;
  for (const { name, kind } of stores)
    if (kind === 'port') states[name] = Object.fromEntries(Object.entries(states[name] as object).slice(1));
  return states;
}
