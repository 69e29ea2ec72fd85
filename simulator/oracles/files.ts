// The trace as a file, as a replay, and as a written test: all of them say what was recorded.
import { expect } from 'expect';
import type { Step } from 'floe/trace';
import { difference, plain, same, text } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';
import { NOTHING } from '../acts/act.js';

/** A step without what only one of two equal traces has. */
const bare = ({ took: _took, title: _title, stack: _stack, ...step }: Step): unknown => step;

const firstDifference = (found: readonly Step[], expected: readonly Step[]): string => {
  const i = expected.findIndex((step, index) => text(found[index] && bare(found[index])) !== text(bare(step)));
  return i < 0
    ? `${found.length} steps instead of ${expected.length}`
    : `step ${expected[i].seq}: ${difference(found[i] && bare(found[i]), bare(expected[i]))}`;
};

/** The stores that have joined. */
const storesOf = ({ app, copies, runtime, address }: Session) => {
  const joined = runtime.snapshot();
  const present = [...app.stores, ...copies].filter(({ name }) => Object.hasOwn(joined, name));
  return [...present.map(({ store }) => store), ...(address ? [address as never] : [])];
};

/** Exports, reads, imports and replays. */
export function checkFile(session: Session): string {
  const { floe, blueprint, lines, trace } = session;
  const file = trace!.export();
  const read = floe.readTrace(file);
  const own = trace!.steps;
  const kept = read.steps.filter(({ seq }) => own.some((step) => step.seq === seq));
  if (text(kept.map(bare)) !== text(own.map(bare))) throw new Fault('export', firstDifference(kept, own));
  if (lines.length > 0) {
    const written = floe
      .readTrace(`${lines.join('\n')}\n`)
      .steps.filter(({ seq }) => own.some((step) => step.seq === seq));
    // A sum is written when it is over.
    const listed = own.filter(({ fact }) => fact !== 'summed');
    const all = written.filter(({ fact }) => fact !== 'summed');
    if (text(all.map(bare)) !== text(listed.map(bare))) throw new Fault('lines', firstDifference(all, listed));
  }
  importInto(session, file);
  const { invariants } = blueprint;
  const { divergence } = floe.replayTrace(file, { stores: storesOf(session), invariants, branch: trace!.branch });
  if (divergence) {
    const { step, pointer, expected, found, reason } = divergence;
    throw new Fault(
      'replay',
      `step ${step.seq}, ${step.action?.type ?? step.fact ?? ''}, at ${String(pointer)}: ${text(found)} instead of ${text(expected)}; ${String(reason)}`,
    );
  }
  return `${own.length} steps`;
}

/** Another runtime that takes the file shows the same. */
function importInto(session: Session, file: string): void {
  const { floe, trace } = session;
  const other = floe.createRuntime({ stores: storesOf(session), trace: floe.recording(), onProblem: () => undefined });
  other.trace.import(file);
  const steps = trace!.steps.map(bare);
  const imported = other.trace.steps.slice(0, steps.length).map(bare);
  if (other.trace.branch !== trace!.branch)
    throw new Fault('import', `branch ${other.trace.branch} is shown instead of ${trace!.branch}`);
  if (text(imported) !== text(steps)) throw new Fault('import', firstDifference(other.trace.steps, trace!.steps));
  if (!trace!.isLive || session.blueprint.redacts || session.isInside) return;
  const [found, expected] = [plain(other.snapshot()), plain(session.state())];
  for (const name of Object.keys(expected))
    if (!same(found[name], expected[name])) throw new Fault('import', difference(found, expected));
  void other.close();
}

/** Writes a test from a range of steps, and runs it on the recorded code. */
export function checkTest(session: Session, a: number, b: number): string {
  const { floe, trace } = session;
  const file = trace!.export();
  const { steps } = trace!;
  const [from, to] = [steps[a % steps.length].seq, steps[b % steps.length].seq].sort((one, other) => one - other);
  let source: string;
  try {
    source = floe.writeTest(file, {
      from,
      to,
      model: './model.js',
      branch: trace!.branch,
      ...(a % 2 === 0 && { stores: storesOf(session) }),
    } as never);
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'FLOE_NOTHING_TO_TEST' || code === 'FLOE_NO_SUCH_STEP') return NOTHING;
    throw error;
  }
  const code = source.replace(/^import .*$/gm, '');
  const given = { ...floe, expect, stores: storesOf(session), test: (_title: string, run: () => void) => run() };
  try {
    new Function(...Object.keys(given), code)(...Object.values(given));
  } catch (error) {
    throw new Fault('written test', `steps ${from} to ${to}: ${(error as Error).message}\n${source}`);
  }
  return `${from} to ${to}`;
}
