// Plays seeded programs until the time is over or one of them shows a fault, which is then shrunk.
import fc from 'fast-check';
import { OPERATIONS, type OperationName } from './acts/index.js';
import type { Library } from './library.js';
import { Fault } from './planned.js';
import { Player } from './player.js';
import { printed } from './print.js';
import { PROFILES, someScenario, type ProfileName, type Scenario } from './program.js';
import { SPANS, SpanTable, type Span } from './spans.js';
import { checkTwin, TWINS, type TwinName } from './twin.js';

export interface SimulateOptions {
  readonly development: Library;
  readonly production: Library;
  readonly seed: number;
  /** How many programs. Default: as many as the time allows */
  readonly programs?: number;
  readonly seconds?: number;
  /** Profiles, twins, oracles or operations to which the simulator keeps. Default: all */
  readonly only?: readonly string[];
  /** Makes a failing program shorter. Default: true */
  readonly shrinks?: boolean;
  /** Operations of a program, at most. Default: 40 */
  readonly most?: number;
  /** Faults that say this do not count: they are known. Default: none */
  readonly besides?: RegExp | undefined;
  readonly progress?: (programs: number, seconds: number) => void;
}

export interface Found {
  readonly oracle: string;
  readonly message: string;
  /** After so many programs. */
  readonly after: number;
  readonly seed: number;
  /** The shrunk program, as source and as data. */
  readonly source: string;
  readonly given: Given;
}

/** A scenario, and the number that chooses what it is checked against. */
export interface Given {
  readonly scenario: Scenario;
  readonly which: number;
}

export interface Simulated {
  readonly programs: number;
  readonly operations: number;
  readonly seconds: number;
  readonly found: Found | undefined;
  readonly spans: SpanTable;
}

type Check = 'alone' | TwinName;

/** Milliseconds in which a failing program is made shorter. */
const SHRINKING = 30_000;

/** Twins are played in turn: every program alone, and every other one beside a twin. */
const CHECKS: readonly Check[] = ['alone', 'alone', ...TWINS];

export async function simulate(options: SimulateOptions): Promise<Simulated> {
  const {
    development,
    production,
    seed,
    programs = 1e9,
    seconds = Infinity,
    only = [],
    most = 40,
    shrinks = true,
    besides,
    progress,
  } = options;
  const began = performance.now();
  const spans = new SpanTable();
  const all = Object.keys(PROFILES) as ProfileName[];
  const profiles = all.filter((name) => only.includes(name));
  const twins = CHECKS.filter((name) => only.includes(name));
  const counts = { programs: 0, operations: 0 };
  let failedAt: number | undefined;
  const play = async (scenario: Scenario, which: number): Promise<void> => {
    const checks = twins.length > 0 ? twins : CHECKS;
    const now = performance.now();
    if (failedAt === undefined ? now > began + seconds * 1000 : now > failedAt + SHRINKING) return;
    const check = checkOf({ scenario, which }, checks);
    counts.programs++;
    counts.operations += scenario.program.length;
    try {
      await seeded(async () => {
        if (check === 'alone') await new Player(scenario, { floe: development, spans }).play();
        else await checkTwin(check, scenario, development, production);
      });
    } catch (error) {
      if (besides?.test(String((error as Error).stack))) return;
      failedAt ??= performance.now();
      throw error;
    }
  };
  const scenarios = someScenario(profiles.length > 0 ? profiles : all, most);
  const property = fc.asyncProperty(scenarios, fc.nat(CHECKS.length * 7), play);
  let found: Found | undefined;
  const timer = setInterval(() => progress?.(counts.programs, (performance.now() - began) / 1000), 10_000);
  const details = await fc.check(property, {
    seed,
    numRuns: Math.min(programs, seconds === Infinity ? programs : Math.ceil(seconds * 500)),
    ...(shrinks ? {} : { endOnFailure: true }),
    reporter: undefined as never,
  });
  clearInterval(timer);
  const atLast = details.numRuns;
  if (details.failed && details.counterexample) {
    const [scenario, which] = details.counterexample;
    const error = details.errorInstance;
    found = {
      oracle: error instanceof Fault ? error.oracle : 'error',
      message:
        error instanceof Error
          ? error instanceof Fault
            ? error.message
            : (error.stack ?? error.message)
          : String(error),
      ...{ after: atLast, seed: details.seed },
      source: printed(scenario, which),
      given: { scenario, which },
    };
  }
  const took = (performance.now() - began) / 1000;
  return { ...counts, programs: found ? atLast : counts.programs, seconds: took, found, spans };
}

const checkOf = ({ scenario, which }: Given, checks: readonly Check[]): Check =>
  scenario.profile === 'solo' ? checks[which % checks.length] : 'alone';

/** Plays one scenario again. @throws Fault */
export async function replayed(
  given: Given,
  { development, production }: Pick<SimulateOptions, 'development' | 'production'>,
  only: readonly string[] = [],
): Promise<void> {
  const { scenario } = given;
  const twins = CHECKS.filter((name) => only.includes(name));
  const check = checkOf(given, twins.length > 0 ? twins : CHECKS);
  await seeded(async () => {
    if (check === 'alone') await new Player(scenario, { floe: development }).play();
    else await checkTwin(check, scenario, development, production);
  });
}

/** Time and chance of the host are the same each time. */
async function seeded(fn: () => Promise<void>): Promise<void> {
  const { random } = Math;
  const { now } = Date;
  let state = 1;
  Math.random = () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647;
  let time = 1_924_000_000_000;
  Date.now = () => ++time;
  try {
    await fn();
  } finally {
    Math.random = random;
    Date.now = now;
  }
}

/** Why an operation cannot happen in a span. */
export function impossible(operation: OperationName, span: Span): string | undefined {
  const { outside, group } = OPERATIONS[operation];
  if (span === 'transaction') return outside;
  const isTabs = span === 'older tab' || span === 'unsettled tab';
  if (isTabs && group === 'store') return 'programs over tabs hold no operation on the set of stores';
  return undefined;
}

/** The table operation × open span, as text. */
export function tableOf(spans: SpanTable): { readonly lines: readonly string[]; readonly zeros: readonly string[] } {
  const zeros: string[] = [];
  const reasons = new Set<string>();
  const header = [
    'operation'.padEnd(18),
    'all'.padStart(8),
    ...SPANS.map((span) => span.replace(' ', '\u00a0').slice(0, 9).padStart(10)),
  ].join('');
  const lines = (Object.keys(OPERATIONS) as OperationName[]).map((operation) => {
    const cells = SPANS.map((span) => {
      const why = impossible(operation, span);
      const count = spans.of(operation, span);
      if (why !== undefined && count === 0) {
        reasons.add(`-: ${operation}, ${span}: ${why}`);
        return '-'.padStart(10);
      }
      if (count === 0) zeros.push(`${operation} × ${span}`);
      return String(count).padStart(10);
    });
    return [operation.padEnd(18), String(spans.of(operation)).padStart(8), ...cells].join('');
  });
  return { lines: [header, ...lines, '', ...reasons], zeros };
}
