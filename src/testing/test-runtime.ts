import { badOption, lookUp, parsePointer, sameData, STILL, type Unknown } from '../core/internal.js';
import { createRuntime, type Problem, type Runtime, type RuntimeOptions, type Attached } from '../core/index.js';
import { recording, type Trace } from '../trace/index.js';
import { seeded } from './chance.js';
import { handClock, type HandClock } from './clock.js';

/** A runtime whose time, chance and problems a test has in its hand. */
export interface TestRuntime extends Runtime {
  readonly clock: HandClock;
  readonly trace: Trace;
  /** What was reported, oldest first. */
  readonly problems: readonly Problem[];
}

/** As those of `createRuntime`; the clock, chance, the trace and the report of problems are there already. */
export type TestRuntimeOptions = Omit<RuntimeOptions, 'clock' | 'trace' | 'onProblem'> & {
  /**
   * A clock made before the runtime, for tracking proxies that wait by it from the start: tasks that begin with their stores run
   * before `testRuntime` returns. Default: a new one.
   */
  readonly clock?: HandClock;
  /** What the random numbers begin with. Default: 1 */
  readonly seed?: number;
  /** Tasks do not begin by themselves, neither for actions nor with their stores. Default: false */
  readonly still?: boolean;
};

/**
 * A runtime for a test: a clock driven by hand, random numbers that are the same each time, a trace, and a list of what
 * was reported.
 * @example
 * const runtime = testRuntime({ stores: [visits], needs: [office.by(slowOffice)] });
 * const run = runtime.run(loadVisits('2031-03-02'));
 * await runtime.clock.advance(1000);
 * expect(runtime.read(loadVisits.status).phase).toBe('done');
 */
export function testRuntime<const O extends TestRuntimeOptions = object>(
  options?: O & TestRuntimeOptions & Unknown<O, TestRuntimeOptions>,
): TestRuntime & Attached<O> {
  const { seed = 1, still, clock = handClock(), ...given }: TestRuntimeOptions = options ?? {};
  for (const name of ['trace', 'onProblem'])
    if (name in given)
      throw badOption(
        'testRuntime',
        name,
        `is there already: look at runtime.${name === 'trace' ? 'trace' : 'problems'}`,
      );
  if (typeof (clock as Partial<HandClock>).advance !== 'function')
    throw badOption('testRuntime', 'clock', 'takes a clock that is driven by hand: handClock()');
  const problems: Problem[] = [];
  const runtime = createRuntime({
    random: seeded(seed),
    ...given,
    [STILL]: still,
    clock,
    trace: recording(),
    onProblem: (problem) => problems.push(problem),
  });
  return Object.assign(runtime, { clock, problems }) as unknown as TestRuntime & Attached<O>;
}

/**
 * The value at a place of a runtime's state; `undefined` where nothing is.
 * @param pointer into the state tree (RFC 6901): `'/visits/list/3'`
 * @example
 * expect(valueAt(runtime, '/log/note')).toBe('Fog at noon.');
 */
export const valueAt = (runtime: Pick<Runtime, 'snapshot'>, pointer: string): unknown =>
  lookUp(runtime.snapshot(), parsePointer(pointer))?.value;

/**
 * Whether the same data stands at a place of a runtime's state, as Floe compares it: the order of a Map counts, and a key with
 * `undefined` is another thing than no key. Without `expected`: whether nothing stands there.
 * @param pointer into the state tree (RFC 6901): `'/visits/at'`
 * @example
 * expect(sameAt(runtime, '/log/at', new Date(NaN))).toBe(true);
 * expect(sameAt(runtime, '/log/draft')).toBe(true); // Nothing is there.
 */
export function sameAt(
  runtime: Pick<Runtime, 'snapshot'>,
  pointer: string,
  ...expected: [expected?: unknown]
): boolean {
  const found = lookUp(runtime.snapshot(), parsePointer(pointer));
  return expected.length === 0 ? found === undefined : found !== undefined && sameData(found.value, expected[0]);
}
