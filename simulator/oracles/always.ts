// What must be so after every operation.
import type { Step } from 'floe/trace';
import { Fault, isPlanned } from '../planned.js';
import type { Session } from '../session.js';

/** Every watcher got the newest value, once, and nothing that it had already. */
export function checkWatchers(session: Session): void {
  const { steps = [] } = session.trace ?? {};
  // What several actions of a transaction come to may be equal to what was before, and is another object.
  const hasTransaction =
    !session.trace ||
    session.blueprint.limit < 10_000 ||
    session.line?.isWhole === false ||
    steps.some(({ seq, group }) => seq > session.watchedUpTo && group !== undefined);
  session.watchedUpTo = steps.at(-1)?.seq ?? -1;
  for (const watched of session.watched) {
    const { name, source, notified } = watched;
    for (const [i, value] of notified.entries())
      // Two errors are never the same.
      if (i > 0 && value === notified[i - 1] && value !== 'threw' && !hasTransaction)
        throw new Fault('watchers', `${name} was notified twice of ${value}`);
    const now = session.valueOf(source);
    if (now !== watched.last) throw new Fault('watchers', `${name} is ${now}, and its watcher knows ${watched.last}`);
    notified.length = 0;
  }
}

/** A transaction is whole: its steps follow each other, all count or none, and the cursor is never inside. */
export function checkTransactions({ trace }: Session): void {
  if (!trace) return;
  const { steps, cursor } = trace;
  const last = new Map<number, number>();
  for (const [i, { group, seq }] of steps.entries()) {
    if (group === undefined) continue;
    const before = last.get(group);
    if (before !== undefined && before !== i - 1)
      throw new Fault('transactions', `step ${seq} is apart from its transaction`);
    last.set(group, i);
  }
  for (let i = 0; i + 1 < steps.length; i++) {
    const [step, next] = [steps[i], steps[i + 1]];
    if (step.group === undefined || step.group !== next.group) continue;
    if (step.seq === cursor)
      throw new Fault('transactions', `the cursor is inside of a transaction, at step ${cursor}`);
    if (step.kind === 'action' && next.kind === 'action' && Boolean(step.excluded) !== Boolean(next.excluded))
      throw new Fault('transactions', `only a part is left out: step ${step.seq} or ${next.seq}`);
  }
}

/** Nothing that a transaction did counts when it throws. What a run does after it, in one of its own, does. */
export function checkRolledBack(steps: readonly Step[], before: number): void {
  const isOfIt = ({ seq, group, kind, cause }: Step): boolean =>
    seq > before && group !== undefined && kind === 'action' && cause.by === 'code';
  const kept = steps.find((step) => isOfIt(step) && step.outcome === 'applied');
  if (kept) throw new Fault('transactions', `a transaction threw, and step ${kept.seq} of it counts`);
}

/** A run that was cancelled is over. */
export function checkCancelled({ cancelled }: Session): void {
  for (const { phase, id } of cancelled.splice(0))
    if (phase === 'running' || phase === 'waiting')
      throw new Fault('cancelled', `run ${id} was cancelled, and is ${phase}`);
}

/** Errors of Floe have a code; errors of the application are those that it threw. */
export function checkError(error: unknown, where: string): string {
  const { code, cause, message } = error as { code?: string; cause?: unknown; message?: string };
  if (typeof code === 'string' && code.startsWith('FLOE_')) {
    const isRaw =
      code === 'FLOE_CHANGE_FAILED' &&
      !isPlanned(cause) &&
      !String((cause as { code?: string } | undefined)?.code).startsWith('FLOE_');
    if (isRaw) throw new Fault('errors', `${where}: ${String(message)}`);
    return code;
  }
  if (isPlanned(error)) return 'planned';
  // What selectors, interceptors and features throw on purpose.
  if (error instanceof TypeError && /'none'|of undefined|fetch failed/.test(error.message)) return 'planned';
  if (/on purpose|the disk|the quota|access is denied|the connection/.test(String(message))) return 'planned';
  if (error instanceof Fault) throw error;
  throw new Fault('errors', `${where}: ${(error as Error | undefined)?.stack ?? String(error)}`);
}

export function checkProblems(session: Session): void {
  for (const { problem } of session.problems) checkError(problem.error, 'a problem');
  if (session.trespasses.length > 0)
    throw new Fault('trespass', `an action was accepted inside ${session.trespasses[0]}`);
}
