// What is kept: what `flush()` acknowledged is there after any crash, all tabs and devices are equal at rest, and the next
// session begins with it.
import { difference, plain, same, text, type Plain, type States } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Player } from '../player.js';
import type { Session } from '../session.js';

interface Acknowledgement {
  readonly session: Session;
  /** The confirmed states since the call: one of them was acknowledged. */
  readonly candidates: States[];
  /** The model could not follow all the time. */
  isUnknown: boolean;
  /** What the place held when it was acknowledged. */
  texts?: ReadonlyMap<string, string>;
}

/** The notes that actions only add: texts of logs, and items of lists. */
const notesIn = (states: States): string[] =>
  Object.values(states).flatMap(({ log = [], list = [] }: Plain) => [...log, ...list.map(({ id }: Plain) => id)]);

/** Why something cannot be stored, which is reported instead. */
const REPORTED = ['FLOE_STORED_TOO_NEW', 'FLOE_STORED_DAMAGED', 'FLOE_NOT_SET_ASIDE', 'FLOE_STORAGE_UNREADABLE'];

export class KeptModel {
  /** The program spoilt what was stored. */
  isDamaged = false;
  private readonly asked = new Set<Acknowledgement>();
  private readonly done: Acknowledgement[] = [];
  private readonly acknowledged = new Set<string>();
  private readonly closing: { readonly session: Session; isOver: boolean }[] = [];

  constructor(private readonly player: Player) {}

  flush(session: Session): void {
    const states = this.confirmed(session);
    const call: Acknowledgement = { session, candidates: states ? [states] : [], isUnknown: !states };
    this.asked.add(call);
    void session.persistence!.flush().then((isStored) => {
      this.asked.delete(call);
      if (!isStored) return;
      this.done.push({ ...call, texts: new Map(this.player.world.disk.texts) });
    });
  }

  close(session: Session): void {
    const call = { session, isOver: false };
    this.closing.push(call);
    session.isGone = true;
    void session.runtime.close().then(() => (call.isOver = session.isOver = true));
  }

  /** The states without optimistic actions that are open; nothing where the model cannot say. */
  private confirmed({ line, trace, blueprint }: Session): States | undefined {
    if (!line || !trace || trace.isPaused || !line.isWhole || blueprint.redacts) return undefined;
    const live = line.states.get(trace.steps.at(-1)?.seq ?? -1);
    return live && line.pending.confirmed(live);
  }

  /** The kept parts of stores that a session had. */
  private keptOf({ app, blueprint: { stores } }: Session, states: States): States {
    const kept: States = {};
    for (const [i, { name, kind }] of app.stores.entries()) {
      if (stores[i].kept === 'nothing' || !Object.hasOwn(states, name)) continue;
      const state = { ...states[name] };
      if (stores[i].kept === 'some' && kind !== 'port')
        Reflect.deleteProperty(state, kind === 'tide' ? 'last' : 'picked');
      kept[name] = state;
    }
    return kept;
  }

  check(): void {
    for (const call of this.asked) {
      const states = this.confirmed(call.session);
      if (states) call.candidates.push(states);
      else call.isUnknown = true;
    }
    for (const call of this.done.splice(0)) {
      // The rest of the operation may have come before the acknowledgement.
      const now = this.confirmed(call.session);
      if (now) call.candidates.push(now);
      else call.isUnknown = true;
      for (const states of call.candidates.slice(0, 1)) this.acknowledge(call.session, states);
      this.checkStored(call);
    }
    const { world, scenario } = this.player;
    if (world.sessions.length === 1 && scenario.profile !== 'solo')
      for (const { code, problem } of world.sessions[0].problems)
        if (code === 'FLOE_STORED_ELSEWHERE')
          throw new Fault('kept', `its own write is taken for another session's: ${(problem.error as Error).message}`);
  }

  /** What was noted must be there in the end, where actions only add. */
  private acknowledge(session: Session, states: States): void {
    if (!session.blueprint.gentle) return;
    for (const note of notesIn(this.keptOf(session, states))) this.acknowledged.add(note);
  }

  /** Where one session writes, the place holds exactly what was acknowledged. */
  private checkStored({ session, candidates, texts, isUnknown }: Acknowledgement): void {
    const { scenario } = this.player;
    const { place, tabs } = scenario.blueprint;
    if (place === 'http' || tabs || this.isDamaged || isUnknown || this.isUncertain()) return;
    const found = this.keptOf(session, this.reopened(texts!, session.options.version));
    const all = candidates.map((states) => this.keptOf(session, states));
    const isOne = all.some((states) => Object.keys(states).every((name) => same(states[name], found[name])));
    if (!isOne) throw new Fault('kept', `acknowledged, but stored is ${difference(found, all[0])}`);
  }

  /** After a reset or a forget, what is stored is another thing than what is shown. */
  private isUncertain(): boolean {
    return (
      this.player.scenario.program.some(
        ({ do: what, inner = [] }) => HIDES.includes(what) || HIDES.some((one) => text(inner).includes(`"${one}"`)),
      ) || this.player.world.sessions.length > 1
    );
  }

  /** The states with which the next session begins. */
  private reopened(texts: ReadonlyMap<string, string>, version: 1 | 2): States {
    const session = this.player.world.sessions[0];
    const { floe } = session;
    const { app } = session.like(version);
    const runtime = floe.createRuntime({
      stores: app.stores.map(({ store }) => store),
      storage: floe.memoryStorage(new Map(texts)),
      onProblem: () => undefined,
    });
    return plain(runtime.snapshot()) as States;
  }

  /** At the end everything works: all are equal, everything is stored, and the next session begins with it. */
  async end(): Promise<void> {
    const { world, scenario } = this.player;
    if (scenario.blueprint.place === 'none') return;
    const isShared = scenario.blueprint.tabs || scenario.profile === 'devices';
    for (let round = 0; round < (isShared || scenario.blueprint.place === 'http' ? 3 : 1); round++) {
      for (const session of world.here) await this.flushAtLast(session, round);
      // What another one stored at last, or a session that is over, is read only when that is asked for.
      if (scenario.blueprint.place === 'http') for (const session of world.here) void session.persistence!.rehydrate();
      await world.rest(40_000);
    }
    for (const { session, isOver } of this.closing)
      if (!isOver) throw new Fault('ending', `close() of session ${session.id} never ends`);
    if (isShared) this.checkEqual();
    this.checkNext();
  }

  private async flushAtLast(session: Session, round: number): Promise<void> {
    const { world } = this.player;
    const states = this.confirmed(session);
    let isStored: boolean | undefined;
    void session.persistence!.flush().then((ok) => (isStored = ok));
    await world.rest(40_000);
    if (isStored === undefined) throw new Fault('kept', 'flush() never ends');
    if (isStored && states) this.acknowledge(session, states);
    // The leader may have reported it before this tab came.
    const all = world.sessions.flatMap(({ problems }) => problems);
    const isReported = all.some(({ code }) => REPORTED.includes(code)) || this.isDamaged;
    if (!isStored && round > 0 && !isReported)
      throw new Fault(
        'kept',
        `flush() of session ${session.id} says false though everything works: ${session.problems.map(({ code }) => code).join()}`,
      );
  }

  /** What the sessions were told of. */
  private reported(): string {
    const { sessions } = this.player.world;
    return sessions.map(({ id, problems }) => `${id}: ${problems.map(({ code }) => code).join(' ')}`).join('; ');
  }

  private checkEqual(): void {
    if (this.isDamaged) return;
    const [first, ...others] = this.player.world.here;
    // Beside another version each tab goes its own way.
    if (!first || others.some(({ options }) => options.version !== first.options.version)) return;
    const own = this.keptOf(first, plain(first.state()));
    for (const other of others) {
      const theirs = this.keptOf(other, plain(other.state()));
      for (const name of Object.keys(own))
        if (Object.hasOwn(theirs, name) && !same(own[name], theirs[name]))
          throw new Fault(
            'equal',
            `sessions ${other.id} and ${first.id}, ${name}: ${difference(theirs[name], own[name])}`,
          );
    }
  }

  private checkNext(): void {
    const { world, scenario } = this.player;
    if (this.isDamaged) return;
    const texts =
      scenario.blueprint.place === 'http'
        ? new Map(Array.from(world.server.texts, ([key, { text: stored }]) => [key, stored]))
        : world.disk.texts;
    const next = this.reopened(texts, 2);
    // A tab of another version goes its own way.
    const isOne = world.sessions.every(({ options }) => options.version === 2) && !world.disk.hasWrittenLate;
    const session = isOne ? world.here[0] : undefined;
    const shown = session && this.keptOf(session, plain(session.state()));
    const found: Plain = session && this.keptOf(session, next);
    for (const name of Object.keys(shown ?? {}))
      if (!this.isUncertain() || scenario.blueprint.gentle)
        if (!same(found[name], shown![name]))
          throw new Fault('kept', `the next session begins with ${difference(found[name], shown![name], `/${name}`)}`);
    // A later action of which the base was reverted is dropped, with its transaction, and that is said.
    if (world.sessions.some(({ problems }) => problems.some(({ code }) => code === 'FLOE_DROPPED'))) return;
    const all = new Set(notesIn(next));
    for (const note of this.acknowledged)
      if (!all.has(note)) throw new Fault('kept', `${note} was acknowledged and is lost; ${this.reported()}`);
  }
}

const HIDES: readonly string[] = ['reset', 'forget'];
