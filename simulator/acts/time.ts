// Operations on the trace, and the user's undo and redo.
import type { Step } from 'floe/trace';
import { text } from '../model/plain.js';
import { checkFile, checkTest } from '../oracles/files.js';
import { checkHistory } from '../oracles/history.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';
import { at, NOTHING, type Act } from './act.js';

/** A step without what may differ between two equal ones. */
const bare = ({ took: _took, given: _given, changes, undo, stores, ...step }: Step): unknown => ({
  ...step,
  // A sum names all stores that it looked at.
  stores: step.fact === 'summed' ? [] : [...stores].sort(),
  // Of operations on different places, either may come first; a fact may say the same by other operations.
  ...(step.kind === 'action' && { changes: changes.map(text).sort(), undo: undo.map(text).sort() }),
});

/** Everything that doing something and taking it back must leave as it was. */
const everything = (session: Session): string =>
  text([session.trace?.steps.map(bare), session.state(), session.undo?.undos, session.undo?.redos]);

/** @throws Fault where the first difference is */
function mustBe(oracle: string, before: string, session: Session): void {
  const after = everything(session);
  if (after === before) return;
  const first = Array.from({ length: before.length }, (_, i) => i).findIndex((i) => before[i] !== after[i]);
  const part = (of: string): string => of.slice(Math.max(0, first - 60), first + 60);
  throw new Fault(oracle, `...${part(after)}... instead of ...${part(before)}...`);
}

function looking(session: Session, look: () => string): string {
  // Of a transaction nothing is recorded before its end.
  if (!session.trace || session.isInside) return NOTHING;
  session.isLooking = true;
  try {
    return look();
  } finally {
    session.isLooking = false;
  }
}

const moving = (move: (session: Session, which: number) => void): Act => ({
  group: 'time',
  weight: 2,
  // What is done in the past begins a branch.
  removes: true,
  perform: (_player, session, { a }) => {
    if (!session.trace) return NOTHING;
    move(session, a);
    return 'moved';
  },
});

export const TIME = {
  seek: moving(({ trace }, a) => trace!.seek(at(trace!.steps, a)!.seq)),
  back: moving(({ trace }) => trace!.back()),
  forward: moving(({ trace }) => trace!.forward()),
  live: { ...moving(({ trace }) => trace!.live()), weight: 4, removes: false },
  exclude: {
    group: 'time',
    weight: 3,
    removes: true,
    perform: (_player, session, { a, x }) => {
      const { trace } = session;
      // Mostly actions: facts cannot be excluded.
      const steps = trace?.steps.filter(({ kind }) => kind === 'action' || x % 5 === 0) ?? [];
      const step = at(steps, a);
      if (!trace || !step) return NOTHING;
      trace.exclude(step.seq, { withCaused: x % 4 === 1 });
      return 'left out';
    },
  },
  include: {
    group: 'time',
    weight: 2,
    removes: true,
    perform: (_player, session, { a }) => {
      const { trace } = session;
      const step = at(trace?.steps.filter(({ excluded }) => excluded) ?? [], a);
      if (!trace || !step) return NOTHING;
      trace.include(step.seq);
      return String(step.seq);
    },
  },
  /** Leaving a step out and taking it in again changes nothing. */
  excludeAndInclude: {
    group: 'time',
    weight: 2,
    removes: true,
    perform: (_player, session, { a }) => {
      const { trace } = session;
      const step = at(trace?.steps.filter((one) => one.kind === 'action' && !one.excluded) ?? [], a);
      // What is redacted stands outside of time.
      if (!trace?.isLive || trace.isPaused || !step || session.blueprint.redacts) return NOTHING;
      // Where steps are folded, what hung on them goes with them.
      if (session.blueprint.limit < 10_000) return NOTHING;
      // A run whose beginning is left out is over: no include starts it again.
      if (session.runs.some(({ phase }) => phase === 'running' || phase === 'waiting')) return NOTHING;
      // Loops begin again; and a sum that no longer fits claims runs as running that have ended, which is put right.
      const runSteps = (): number => trace.steps.filter(({ fact = '' }) => /^run(Started|Ended)$/.test(fact)).length;
      const runs = runSteps();
      const before = everything(session);
      trace.exclude(step.seq);
      if (runSteps() !== runs) return 'ended a run';
      trace.include(step.seq);
      if (before.length > 0) mustBe('exclude, include', before, session);
      return String(step.seq);
    },
  },
  switchTo: {
    group: 'time',
    weight: 1,
    removes: true,
    perform: (_player, session, { a }) => {
      const { trace, line } = session;
      const branch = at(trace?.branches ?? [], a);
      if (!trace || !branch) return NOTHING;
      trace.switchTo(branch.id);
      line?.switched();
      return String(branch.id);
    },
  },
  pause: {
    group: 'time',
    weight: 1,
    perform: (_player, { trace }) => {
      if (!trace) return NOTHING;
      if (trace.isPaused) trace.resume();
      else trace.pause();
      return String(trace.isPaused);
    },
  },
  /** The trace as a file takes the place of the trace. */
  reload: {
    group: 'time',
    weight: 1,
    removes: true,
    perform: (_player, session) => {
      const { trace, line } = session;
      if (!trace || session.blueprint.writesLines) return NOTHING;
      // What is redacted stands outside of time: it is as it was before what is pending, whose run ends.
      if (session.blueprint.redacts && session.open.length > 0) return NOTHING;
      const before = text([session.state(), trace.branch]);
      const { isLive } = trace;
      trace.import(trace.export());
      session.isReloaded = true;
      line?.forget();
      session.undoModel?.clear();
      if (isLive && text([session.state(), trace.branch]) !== before)
        throw new Fault('export, import', `another state or branch is shown: ${trace.branch}`);
      return String(trace.steps.length);
    },
  },
  replay: {
    group: 'time',
    weight: 1,
    perform: (_player, session) => looking(session, () => checkFile(session)),
  },
  writeTest: {
    group: 'time',
    weight: 1,
    perform: (_player, session, { a, b }) => looking(session, () => checkTest(session, a, b)),
  },
  history: {
    group: 'time',
    weight: 2,
    perform: (_player, session, { a }) => looking(session, () => checkHistory(session, a)),
  },
  undo: {
    group: 'undo',
    weight: 4,
    removes: true,
    perform: (player, session) => player.undone(session, 'undo'),
  },
  redo: {
    group: 'undo',
    weight: 2,
    removes: true,
    perform: (player, session) => player.undone(session, 'redo'),
  },
  /** Undoing and redoing changes no state and no stack. */
  undoAndRedo: {
    group: 'undo',
    weight: 2,
    removes: true,
    perform: (_player, session) => {
      const { undo, blueprint } = session;
      // Entries whose steps are no longer kept go, whatever is done.
      if (!undo || blueprint.limit < 10_000) return NOTHING;
      const look = (): string => text([session.state(), undo.undos, undo.redos, undo.nextUndo, undo.nextRedo]);
      const before = look();
      const { became } = undo.undo();
      if (became !== 'done') return became;
      const again = undo.redo().became;
      if (again !== 'done' || look() !== before)
        throw new Fault('undo, redo', `redo says ${again}: ${look()} instead of ${before}`);
      return became;
    },
  },
  clearUndo: {
    group: 'undo',
    weight: 1,
    outside: 'whether it counts is known when the transaction ends',
    perform: (_player, session) => {
      const { undo, undoModel } = session;
      if (!undo) return NOTHING;
      undoModel?.follow(session);
      undo.clear();
      undoModel?.clear();
      return String(undo.undos);
    },
  },
} satisfies Record<string, Act>;
