// Plays seeded programs until the time is over or one of them shows a fault, which is then shrunk.
import fc from 'fast-check';
import type { Library } from './library.js';
import { Fault } from './planned.js';
import { Player, type PlayerOptions } from './player.js';
import { printed } from './print.js';
import { PROFILES, someScenario, type ProfileName, type Scenario } from './program.js';
import { shrunk } from './shrink.js';
import { SpanTable } from './spans.js';
import { Transcript } from './transcript.js';
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

/** A scenario, and what it is checked against: the model alone, or a twin as well. */
export interface Given {
  readonly scenario: Scenario;
  readonly check: Check;
}

export interface Simulated {
  readonly programs: number;
  readonly operations: number;
  readonly seconds: number;
  readonly found: Found | undefined;
  readonly spans: SpanTable;
}

export type Check = 'alone' | TwinName;

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
  const checks = twins.length > 0 ? twins : CHECKS;
  const counts = { programs: 0, operations: 0 };
  const libraries = { development, production };
  let failed: { readonly given: Given; readonly error: unknown } | undefined;
  const play = async (scenario: Scenario, which: number): Promise<void> => {
    if (performance.now() > began + seconds * 1000) return;
    counts.programs++;
    counts.operations += scenario.program.length;
    // One runtime and nothing else: only there can two runs be compared step by step.
    const given = { scenario, check: scenario.profile === 'solo' ? checks[which % checks.length] : 'alone' };
    try {
      await played(given, libraries, { spans });
    } catch (error) {
      if (besides?.test(String((error as Error).stack))) return;
      failed ??= { given, error };
      throw error;
    }
  };
  const scenarios = someScenario(profiles.length > 0 ? profiles : all, most);
  const property = fc.asyncProperty(scenarios, fc.nat(CHECKS.length * 7), play);
  const timer = setInterval(() => progress?.(counts.programs, (performance.now() - began) / 1000), 10_000);
  await fc.check(property, {
    seed,
    numRuns: Math.min(programs, seconds === Infinity ? programs : Math.ceil(seconds * 500)),
    endOnFailure: true,
  });
  clearInterval(timer);
  const took = (performance.now() - began) / 1000;
  const found = failed && (await foundIn(failed, { libraries, after: counts.programs, seed, shrinks }));
  return { ...counts, seconds: took, found, spans };
}

export type Libraries = Pick<SimulateOptions, 'development' | 'production'>;

interface Finding extends Pick<Found, 'after' | 'seed'> {
  readonly libraries: Libraries;
  readonly shrinks: boolean;
}

/** What failed, made shorter. */
async function foundIn(
  { given, error }: { readonly given: Given; readonly error: unknown },
  { libraries, after, seed, shrinks }: Finding,
): Promise<Found> {
  const end = performance.now() + (shrinks ? SHRINKING : 0);
  const oracleOf = (one: unknown): string => (one instanceof Fault ? one.oracle : 'error');
  let last = error;
  const fails = async (scenario: Scenario): Promise<boolean> => {
    try {
      await played({ ...given, scenario }, libraries);
      return false;
    } catch (other) {
      if (oracleOf(other) !== oracleOf(error)) return false;
      last = other;
      return true;
    }
  };
  const scenario = await shrunk(given.scenario, fails, () => performance.now() > end);
  const message =
    last instanceof Error ? (last instanceof Fault ? last.message : (last.stack ?? last.message)) : String(last);
  const transcript = new Transcript();
  await played({ ...given, scenario }, libraries, { transcript }).catch(() => undefined);
  return {
    ...{ oracle: oracleOf(error), message, after, seed },
    source: printed({ ...given, scenario }, message, transcript.lines),
    given: { ...given, scenario },
  };
}

/** Plays one scenario. @throws Fault */
export async function played(
  { scenario, check }: Given,
  libraries: Libraries,
  also: Pick<PlayerOptions, 'spans' | 'transcript'> = {},
): Promise<void> {
  const { development, production } = libraries;
  await seeded(async () => {
    if (check === 'alone') await new Player(scenario, { floe: development, ...also }).play();
    else if (also.transcript) await new Player(scenario, { floe: development, ...also }).play();
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
