// Plays a program in a simulated world, and looks after each operation whether everything is as it must be.
import { OPERATIONS } from './acts/index.js';
import { at, NOTHING } from './acts/act.js';
import type { Step } from 'floe/trace';
import type { Library } from './library.js';
import { text, type Plain } from './model/plain.js';
import { checkAddress } from './oracles/address.js';
import { checkCancelled, checkError, checkProblems, checkTransactions, checkWatchers } from './oracles/always.js';
import { KeptModel } from './oracles/kept.js';
import { checkTold } from './oracles/history.js';
import { checkSecrets } from './oracles/secrets.js';
import { checkSettled } from './oracles/settled.js';
import { checkUndone, UndoModel } from './oracles/undo.js';
import { Fault } from './planned.js';
import type { Operation, Scenario } from './program.js';
import { Session, type Given, type SessionOptions } from './session.js';
import { spansOf, type SpanTable } from './spans.js';
import { turn } from './world/clock.js';
import type { Transcript } from './transcript.js';
import { World } from './world/world.js';

export interface PlayerOptions {
  readonly floe: Library;
  /** Sessions have a trace. Default: true */
  readonly traced?: boolean;
  /** Notes the state after each operation, for comparing. Default: false */
  readonly observes?: boolean;
  readonly spans?: SpanTable | undefined;
  /** Notes the calls of the program. */
  readonly transcript?: Transcript | undefined;
  /** Called when the first session is there. */
  readonly begun?: (session: Session, player: Player) => void;
  /** Called before each operation on the first session. */
  readonly before?: (session: Session) => void;
  /** What the first session is given to begin with. Default: as the application says */
  readonly initial?: Given;
}

export class Player {
  readonly world: World;
  readonly kept: KeptModel;
  /** What became of each operation, and the states after it. */
  readonly observed: string[] = [];
  private depth = 0;
  private notes = 0;
  private fault: Fault | undefined;
  private readonly rejections: unknown[] = [];
  private readonly options: Required<Pick<PlayerOptions, 'floe' | 'traced' | 'observes'>> & PlayerOptions;

  constructor(
    readonly scenario: Scenario,
    options: PlayerOptions,
  ) {
    this.options = { traced: true, observes: false, ...options };
    this.world = new World(options.floe, scenario.blueprint);
    this.kept = new KeptModel(this);
  }

  /** @throws Fault */
  async play(): Promise<void> {
    const { scenario, options } = this;
    const rejected = (error: unknown): void => void this.rejections.push(error);
    process.on('unhandledRejection', rejected);
    try {
      await this.begin();
      options.begun?.(this.world.sessions[0], this);
      for (const operation of scenario.program) {
        const here = this.world.here;
        if (here.length === 0) {
          // The one before has ended when the next begins.
          await this.world.rest(20_000);
          this.open({ version: 2 });
        }
        const others = this.world.here.filter((one) => !one.options.isBeside);
        const session = at(others, operation.s)!;
        await this.perform(operation, session);
        await turn();
        this.check();
      }
      await this.end();
    } catch (error) {
      if (error instanceof Fault)
        error.steps = this.world.sessions.map((session) => [
          ...(session.trace?.steps.map(lineOf) ?? []),
          session.condition,
        ]);
      throw error;
    } finally {
      process.off('unhandledRejection', rejected);
      for (const session of this.world.sessions) {
        this.world.clock.drop(session);
        session.isGone = true;
      }
    }
  }

  private async begin(): Promise<void> {
    const { profile, blueprint } = this.scenario;
    const { initial = blueprint.initial } = this.options;
    this.open({ version: profile === 'tabs' && blueprint.stores.length % 2 === 0 ? 1 : 2 }, initial);
    if (profile === 'tabs' || profile === 'devices') this.open({ version: 2 });
    await turn();
    this.check();
  }

  open(options: Omit<SessionOptions, 'traced'>, initial: Given = 'none'): Session {
    const { blueprint } = this.scenario;
    const { floe, traced } = this.options;
    const id = this.world.sessions.length;
    const session = new Session(floe, this.world, blueprint, id, { ...options, traced, given: initial });
    this.world.sessions.push(session);
    if (this.options.transcript) session.tell(this.options.transcript);
    if (session.undo && session.trace) session.undoModel = new UndoModel();
    return session;
  }

  /** Another session beside the present ones, or in their place. */
  openAnother(version: 1 | 2): string {
    const { profile, blueprint } = this.scenario;
    const most = profile === 'tabs' ? 3 : profile === 'devices' ? 2 : 1;
    if (this.world.here.length >= most) return NOTHING;
    // What a newer version stored, an older one must not touch: it may come where tabs are.
    const isOlder =
      version === 1 && (profile === 'tabs' || this.world.sessions.every((one) => one.options.version === 1));
    this.open({ version: isOlder && blueprint.place !== 'http' ? 1 : 2 });
    return 'open';
  }

  /** A text that no other action of the program has. */
  note(): string {
    return `n${++this.notes}`;
  }

  /** Operations inside of another one. */
  inside(session: Session, fn: () => void): void {
    this.depth++;
    session.isInside = true;
    try {
      fn();
    } finally {
      this.depth--;
      session.isInside = this.depth > 0;
    }
  }

  /** Performs one operation; inside of another one at once. */
  perform(operation: Operation, session: Session): void | Promise<void> {
    const act = OPERATIONS[operation.do];
    const isInside = this.depth > 0;
    if (isInside && act.outside !== undefined) return;
    if (act.removes && this.scenario.blueprint.gentle) return;
    this.options.spans?.count(operation.do, spansOf(session, isInside));
    let result: string | Promise<string>;
    if (session.id === 0) this.options.before?.(session);
    const { transcript } = this.options;
    const reported = transcript?.lines.length;
    if (transcript) transcript.isOn = true;
    try {
      result = act.perform(this, session, operation);
      if (transcript?.lines.length === reported)
        transcript?.say(`// ${operation.do}${typeof result === 'string' ? `: ${result}` : ''}`);
    } catch (error) {
      result = this.judged(error, operation);
      // What throws inside of a transaction may be caught there or not.
      if (isInside && operation.b % 2 === 0 && !this.fault) {
        this.observe(operation, result, session, isInside);
        throw error;
      }
    } finally {
      if (transcript && !isInside) transcript.isOn = false;
    }
    if (typeof result === 'string') return this.observe(operation, result, session, isInside);
    return result.then(
      (done) => this.observe(operation, done, session, isInside),
      (error: unknown) => this.observe(operation, this.judged(error, operation), session, isInside),
    );
  }

  private judged(error: unknown, operation: Operation): string {
    try {
      return checkError(error, operation.do);
    } catch (fault) {
      this.fault ??= fault as Fault;
      return 'fault';
    }
  }

  private observe({ do: what }: Operation, result: string, session: Session, isInside: boolean): void {
    if (!this.options.observes) return;
    this.observed.push(`${what}: ${result}`);
    if (!isInside && !session.isGone) this.observed.push(text(session.state()));
  }

  undone(session: Session, what: 'undo' | 'redo'): string {
    const { undo, undoModel, trace, line } = session;
    if (!undo) return NOTHING;
    const isInside = this.depth > 0;
    if (!isInside && trace) {
      line?.follow();
      undoModel?.follow(session);
    }
    const steps = trace?.steps ?? [];
    const shown = steps.filter(({ seq }) => seq <= trace!.cursor);
    const isKnown = what === 'undo' && !isInside && trace?.isLive === true && line?.isWhole === true && !trace.isPaused;
    const entry = undoModel && isKnown ? undoModel.next(shown) : [];
    const before: Plain = line?.states.get(trace!.cursor);
    const result = undo[what]();
    if (!isInside && line && what === 'undo' && before) {
      line.follow();
      checkUndone(session, entry, result, before);
    }
    return result.became;
  }

  flush(session: Session): string {
    this.kept.flush(session);
    return 'asked';
  }

  close(session: Session): string {
    this.kept.close(session);
    return 'closing';
  }

  damage(which: number): boolean {
    this.kept.isDamaged = true;
    return this.world.disk.damage(which);
  }

  private check(): void {
    if (this.fault) throw this.fault;
    for (const session of this.world.sessions) {
      checkProblems(session);
      if (session.isGone) continue;
      const { trace, line, undoModel } = session;
      checkCancelled(session);
      checkTransactions(session);
      line?.follow();
      if (
        undoModel &&
        line?.isWhole &&
        !trace?.isPaused &&
        !session.blueprint.redacts &&
        session.blueprint.limit === 10_000
      ) {
        undoModel.follow(session);
        undoModel.check(session);
      }
      checkWatchers(session);
      checkAddress(session);
      checkSettled(session, false);
    }
    this.kept.check();
    if (this.rejections.length > 0)
      throw new Fault('rejections', `unhandled: ${String((this.rejections[0] as Error).stack)}`);
  }

  /** Everything works again, everything is settled; then all must be equal, stored, and come to an end. */
  private async end(): Promise<void> {
    const { world } = this;
    world.heal();
    for (const session of world.here) {
      if (session.trace && !session.trace.isLive) session.trace.live();
      for (const handle of session.handles) {
        // Also one whose confirmation failed when its transaction was over; the others are settled, and stay so.
        handle.optimistic.revert();
        handle.settled = true;
      }
      for (const run of session.runs) run.cancel();
    }
    if (!(await world.rest(40_000))) throw new Fault('rest', 'the world does not come to rest');
    this.check();
    for (const session of world.here) {
      checkSettled(session, true);
      checkSecrets(session);
      if (this.scenario.profile === 'solo' && !this.options.observes && session.trace) checkTold(session);
    }
    await this.kept.end();
    this.check();
    for (const session of world.here) {
      session.last = session.state();
      session.lastSteps = session.trace?.steps ?? [];
    }
    for (const session of world.here) await this.closeAtLast(session);
    this.check();
  }

  private async closeAtLast(session: Session): Promise<void> {
    let isClosed = false;
    const closing = session.runtime.close();
    void closing.then(() => (isClosed = true));
    await this.world.rest();
    if (!isClosed) throw new Fault('ending', 'close() never ends');
    const again = session.runtime.close();
    await again;
    for (const run of session.runs)
      if (run.phase === 'running' || run.phase === 'waiting') throw new Fault('ending', 'a run goes on after the end');
    if (
      session.persistence &&
      !this.kept.isDamaged &&
      !session.problems.some(({ code }) => UNSTORED.includes(code)) &&
      session.persistence.pending.length > 0
    )
      throw new Fault('ending', `${session.persistence.pending.join()} was not stored at the end`);
    session.isGone = true;
  }
}

/** A step as a line to read. */
const lineOf = ({
  seq,
  after,
  group,
  kind,
  fact,
  about,
  run,
  action,
  outcome,
  excluded,
  cause,
  changes,
}: Step): string =>
  [
    `${seq} (after ${String(after)})`,
    group === undefined ? '' : `group ${group}`,
    kind === 'action' ? text(action) : `${fact ?? ''} ${String(about ?? run?.task ?? '')}`,
    `${outcome}${excluded === true ? ', excluded' : ''}, by ${text(cause)}:`,
    changes.map(({ op, path, ...rest }) => `${op} ${path} ${text(rest)}`).join('; '),
  ].join(' ');

/** Why something may never be stored. */
const UNSTORED = ['FLOE_STORED_TOO_NEW', 'FLOE_STORED_DAMAGED', 'FLOE_TABS_DIFFER'];
