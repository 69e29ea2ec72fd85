// Makes a failing program shorter: leaves out as much as it can while the same oracle still finds fault (delta debugging:
// Zeller and Hildebrandt, "Simplifying and Isolating Failure-Inducing Input", 2002).
import type { Blueprint } from './application.js';
import type { Operation, Scenario } from './program.js';

/** What every field of an application is where it matters least. */
const PLAIN: Partial<Blueprint> = {
  invariants: 'report',
  limit: 10_000,
  ignores: false,
  redacts: false,
  writesLines: false,
  undo: false,
  interceptors: [],
  overlap: 'allow',
  naughty: false,
  faultyFeature: false,
  address: false,
  elects: false,
  initial: 'none',
  writeAfter: 0,
  place: 'none',
};

const PLAIN_STORE = { kept: 'all', rule: 'none', late: false, hears: false } as const;

type Program = readonly Operation[];

/** Shorter programs: without a half, a quarter, ... one operation; then with simpler operations. */
function* shorter(program: Program): Iterable<Program> {
  for (let size = program.length; size >= 1; size = Math.floor(size / 2))
    for (let from = 0; from < program.length; from += size)
      yield [...program.slice(0, from), ...program.slice(from + size)];
  for (const [i, operation] of program.entries()) {
    const instead = (...others: readonly Operation[]): Program => program.toSpliced(i, 1, ...others);
    if (operation.inner) {
      yield instead(...operation.inner);
      for (const inner of shorter(operation.inner)) yield instead({ ...operation, inner });
      if (operation.throws) yield instead({ ...operation, throws: false });
    }
  }
}

function* plainer(program: Program): Iterable<Program> {
  for (const [i, operation] of program.entries()) {
    if (operation.inner) for (const inner of plainer(operation.inner)) yield program.with(i, { ...operation, inner });
    for (const key of ['s', 'a', 'b', 'x'] as const)
      for (const value of [0, 1, 2, operation[key] % 12])
        if (value < operation[key]) yield program.with(i, { ...operation, [key]: value });
  }
}

function* plainerBlueprints(blueprint: Blueprint): Iterable<Blueprint> {
  const { stores, interceptors } = blueprint;
  if (stores.length > 2) yield { ...blueprint, stores: stores.slice(0, -1) };
  for (const name of interceptors) yield { ...blueprint, interceptors: interceptors.filter((other) => other !== name) };
  for (const [key, value] of Object.entries(PLAIN))
    if (JSON.stringify(blueprint[key as keyof Blueprint]) !== JSON.stringify(value))
      yield { ...blueprint, [key]: value };
  for (const [i, store] of stores.entries())
    for (const [key, value] of Object.entries(PLAIN_STORE))
      if (store[key as keyof typeof PLAIN_STORE] !== value)
        yield { ...blueprint, stores: stores.with(i, { ...store, [key]: value }) };
}

function* simpler(scenario: Scenario): Iterable<Scenario> {
  for (const program of shorter(scenario.program)) yield { ...scenario, program };
  for (const blueprint of plainerBlueprints(scenario.blueprint)) yield { ...scenario, blueprint };
  for (const program of plainer(scenario.program)) yield { ...scenario, program };
}

/**
 * @param fails whether a scenario shows the same fault
 * @param isOver whether there is no time left
 */
export async function shrunk(
  scenario: Scenario,
  fails: (scenario: Scenario) => Promise<boolean>,
  isOver: () => boolean,
): Promise<Scenario> {
  const tried = new Set<string>();
  for (let now = scenario; ;) {
    let next: Scenario | undefined;
    for (const candidate of simpler(now)) {
      if (isOver()) return now;
      const key = JSON.stringify(candidate);
      if (tried.has(key)) continue;
      tried.add(key);
      if (!(await fails(candidate))) continue;
      next = candidate;
      break;
    }
    if (!next) return now;
    now = next;
  }
}
