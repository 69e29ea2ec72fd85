// The same program with one difference that must change nothing: relations that need no model.
import type { Library } from './library.js';
import { text, type Plain } from './model/plain.js';
import { Fault } from './planned.js';
import { Player, type PlayerOptions } from './player.js';
import type { Operation, Scenario } from './program.js';
import type { Session } from './session.js';

export const TWINS = ['untraced', 'production', 'pending', 'store', 'tab', 'row', 'look'] as const;
export type TwinName = (typeof TWINS)[number];

/** How stores and rows are called that have nothing to do with the application. */
const BESIDE = 'beside';

/** Operations that only one of the two could do. */
const TRACED = [
  'seek',
  'back',
  'forward',
  'live',
  'exclude',
  'include',
  'excludeAndInclude',
  'switchTo',
  'pause',
  'reload',
  'replay',
  'writeTest',
  'history',
];
const SKIPPED: Readonly<Partial<Record<TwinName, readonly string[]>>> = {
  untraced: TRACED,
  // A production build renews nothing, and its messages and stacks are shorter.
  production: ['renew', 'writeTest', 'reload', 'replay'],
  pending: [
    'exclude',
    'include',
    'excludeAndInclude',
    'seek',
    'back',
    'forward',
    'switchTo',
    'reload',
    'replay',
    'writeTest',
    'history',
    'reset',
  ],
  row: ['reset'],
  // A store that joins while the trace is paused is part of a sum.
  store: [
    'pause',
    'seek',
    'back',
    'forward',
    'exclude',
    'include',
    'excludeAndInclude',
    'switchTo',
    'reload',
    'replay',
    'writeTest',
    'history',
  ],
};

function without(program: readonly Operation[], names: readonly string[]): Operation[] {
  return program
    .filter((one) => !names.includes(one.do))
    .map((one) => (one.inner ? { ...one, inner: without(one.inner, names) } : one));
}

/** What a session did, as far as it must be the same. */
interface Observed {
  readonly observed: readonly string[];
  readonly steps: readonly string[];
  readonly states: string;
}

const isBeside = (name: string): boolean => name.startsWith(BESIDE);

const bare = (session: Session, kind: TwinName): string[] =>
  session.lastSteps
    .filter(({ stores }) => stores.length === 0 || !stores.every((name) => isBeside(name)))
    .map(({ action, fact, outcome, changes, reason }) => {
      const own = changes
        .filter(({ path }) => !isBeside(path.split('/')[1]))
        .map((change) => {
          // A production build says less.
          if (kind === 'production' && change.path.includes('.status')) return withoutMessages(change);
          // A table that is empty in the end is said as a whole, and beside another row by the rows that go.
          return kind === 'row' && isOfTable(change.path) && goes(change)
            ? change.path.split('/', 3).join('/')
            : change;
        });
      // What is computed again from a pending action on may be told by other operations, which lead to the same.
      const reported = (kind === 'pending' && fact === 'reverted') || (kind === 'row' && fact) ? '' : own;
      if (kind === 'row' && fact === 'initial') return fact;
      return text([
        action?.type ?? fact,
        action?.payload,
        outcome,
        kind === 'row' ? [...new Set(reported)] : reported,
        kind === 'production' ? '' : reason,
      ]);
    });

const isOfTable = (path: string): boolean => path.startsWith('/port');
const goes = (change: { readonly op: string; readonly path: string; readonly value?: unknown }): boolean =>
  change.op === 'remove' || (change.op === 'replace' && (change.value as Plain)?.size === 0);

/** JSON without the messages of errors. */
const withoutMessages = (value: unknown): unknown =>
  JSON.parse(JSON.stringify(value, (key, part: unknown) => (key === 'message' ? '' : part)));

async function observed(scenario: Scenario, options: PlayerOptions, kind: TwinName): Promise<Observed> {
  const player = new Player(scenario, { observes: true, ...options });
  await player.play();
  const states: Record<string, Plain> = {};
  const steps: string[] = [];
  for (const session of player.world.sessions) {
    if (session.options.isBeside) continue;
    for (const [name, state] of Object.entries(session.last))
      if (!isBeside(name)) states[`${session.id}.${name}`] = state;
    steps.push(...bare(session, kind));
  }
  return { observed: player.observed, steps, states: text(states) };
}

/** An optimistic action of another store is open all the time. */
function pendingBeside(floe: Library, session: Session): void {
  const beside = floe.store(BESIDE, { n: 0 });
  const touched = beside.action('touched', (draft) => {
    draft.n++;
  });
  session.runtime.add(beside);
  session.context?.optimistic(touched());
}

/** A look at the step before, and back. */
function look({ trace, isInside, watched }: Session): void {
  if (!trace?.isLive || trace.isPaused || isInside) return;
  trace.back();
  trace.live();
  for (const { notified } of watched) notified.length = 0;
}

/** @throws Fault where the twin does something else */
export async function checkTwin(name: TwinName, given: Scenario, floe: Library, other: Library): Promise<void> {
  const scenario: Scenario = { ...given, program: without(given.program, SKIPPED[name] ?? []) };
  const { blueprint } = scenario;
  // Another store, or a trace, is another application where the address of a step counts.
  const plainOne: Scenario = {
    ...scenario,
    blueprint: {
      ...{ ...blueprint, redacts: false, limit: 10_000, ignores: false, writesLines: false },
      ...(name === 'tab' && { place: 'area', tabs: true }),
      ...(name === 'row' && { initial: 'whole', place: 'none' }),
    },
  };
  const one = await observed(plainOne, { floe }, name);
  const two = await observed(plainOne, optionsOf(name, floe, other), name);
  compare(name, one, two, name !== 'untraced');
}

function optionsOf(name: TwinName, floe: Library, other: Library): PlayerOptions {
  if (name === 'untraced') return { floe, traced: false };
  if (name === 'production') return { floe: other };
  if (name === 'pending') return { floe, begun: (session) => pendingBeside(floe, session) };
  if (name === 'tab')
    return {
      floe,
      begun: (session, player) => void player.open({ version: session.options.version, isBeside: true }),
      before: ({ world }) => world.deliverNow(),
    };
  if (name === 'row') return { floe, initial: 'rows' };
  if (name === 'look') return { floe, before: look };
  let count = 0;
  return {
    floe,
    before: ({ runtime, isInBatch }) => {
      if (!isInBatch) runtime.read(floe.store(`${BESIDE}${count++}`, 0));
    },
  };
}

function compare(name: TwinName, one: Observed, two: Observed, hasSteps: boolean): void {
  const strip = (line = 'nothing'): string =>
    line.replace(/"?beside\d*"?:(\{(?:[^{}]|\{[^{}]*\})*\}|\d+),?/g, '').replace(/,\}/g, '}');
  for (const [i, line] of one.observed.entries())
    if (strip(line) !== strip(two.observed[i]))
      throw new Fault(`twin ${name}`, `${strip(two.observed[i])} instead of ${strip(line)}`);
  if (hasSteps)
    for (const [i, step] of one.steps.entries())
      if (strip(step) !== strip(two.steps[i]))
        throw new Fault(`twin ${name}`, `${strip(two.steps[i])} instead of ${strip(step)}`);
  if (strip(one.states) !== strip(two.states)) throw new Fault(`twin ${name}`, 'the states at the end differ');
}
