// Programs as data: small numbers, which the player takes modulo what is there, so that any part of a program is one.
import fc from 'fast-check';
import { INTERCEPTORS, type Blueprint, type StoreBlueprint } from './application.js';
import { OPERATIONS, type OperationName } from './acts/index.js';

export interface Operation {
  readonly do: OperationName;
  /** Which session, which thing, which other thing, and the payload. */
  readonly s: number;
  readonly a: number;
  readonly b: number;
  readonly x: number;
  /** What is done inside of it. */
  readonly inner?: readonly Operation[];
  /** It throws at its end. */
  readonly throws?: boolean;
}

export interface Scenario {
  readonly profile: ProfileName;
  readonly blueprint: Blueprint;
  readonly program: readonly Operation[];
}

/** What programs are about. */
export const PROFILES = {
  /** One session: transactions, optimism, interceptors, tasks, time travel, undo. */
  solo: { place: ['none', 'area'], tabs: false, groups: ['act', 'work', 'time', 'undo', 'store'] },
  /** One session after the other on a place that fails. */
  kept: {
    place: ['area', 'later', 'http'],
    tabs: false,
    groups: ['act', 'work', 'time', 'undo', 'store', 'keep', 'session', 'weather'],
  },
  /** Several tabs on one place, of two versions. */
  tabs: {
    place: ['area', 'later'],
    tabs: true,
    groups: ['act', 'work', 'time', 'undo', 'store', 'keep', 'session', 'tabs', 'weather'],
  },
  /** Several devices on one server. */
  devices: { place: ['http'], tabs: false, groups: ['act', 'keep', 'session', 'weather', 'tabs'] },
} as const;
export type ProfileName = keyof typeof PROFILES;

const someStore = (hasPort: boolean): fc.Arbitrary<StoreBlueprint> =>
  fc.record({
    kind: fc.constantFrom(...(hasPort ? (['tide', 'board', 'port'] as const) : (['tide', 'board'] as const))),
    kept: fc.constantFrom('all', 'all', 'some', 'nothing'),
    rule: fc.constantFrom('none', 'none', 'even', 'throwing', 'dispatching'),
    late: fc.boolean(),
    hears: fc.boolean(),
  });

const rarely = fc.integer({ min: 0, max: 7 }).map((n) => n === 7);

function someBlueprint(name: ProfileName): fc.Arbitrary<Blueprint> {
  const { place, tabs } = PROFILES[name];
  const isSolo = name === 'solo';
  const never = fc.constant(false);
  return fc.record({
    // The first store is there from the beginning: tasks and interceptors use it.
    stores: fc
      .tuple(
        someStore(false).map((one) => ({ ...one, late: false })),
        fc.array(someStore(true), { minLength: 1, maxLength: 4 }),
      )
      .map(([first, others]) => [first, ...others]),
    invariants: fc.constantFrom('report', 'refuse'),
    limit: fc.constantFrom(10_000, 10_000, 10_000, isSolo ? 12 : 10_000),
    ignores: isSolo ? rarely : never,
    redacts: isSolo ? rarely : never,
    writesLines: isSolo ? fc.boolean() : never,
    undo: name === 'devices' ? never : fc.boolean(),
    interceptors: name !== 'devices' ? fc.subarray([...INTERCEPTORS], { maxLength: 3 }) : fc.constant([]),
    overlap: fc.constantFrom('allow', 'replace', 'queue', 'ignore', 'share'),
    naughty: isSolo ? rarely : never,
    faultyFeature: rarely,
    address: isSolo ? rarely : never,
    initial: isSolo ? fc.constantFrom('none', 'none', 'none', 'whole', 'partial') : fc.constant('none'),
    place: fc.constantFrom(...place),
    tabs: fc.constant(tabs),
    elects: tabs ? fc.integer({ min: 0, max: 2 }).map((n) => n === 2) : never,
    writeAfter: isSolo ? fc.constant(0) : fc.constantFrom(0, 0, 100),
    gentle: isSolo ? never : name === 'devices' ? fc.constant(true) : fc.boolean(),
  });
}

const small = fc.nat(30);

/** @param only names of groups or operations to which programs are restricted. Default: none */
function someProgram(name: ProfileName, most: number): fc.Arbitrary<readonly Operation[]> {
  const groups: readonly string[] = PROFILES[name].groups;
  const known = (Object.keys(OPERATIONS) as OperationName[]).filter((one) => groups.includes(OPERATIONS[one].group));
  const numbers = { s: fc.nat(3), a: small, b: small, x: small };
  const { operation } = fc.letrec<{ operation: Operation }>((tie) => ({
    operation: fc.oneof(
      { depthSize: 'small', maxDepth: 3, withCrossShrink: true },
      ...known
        .filter((one) => !OPERATIONS[one].holds)
        .map((one) => ({ weight: OPERATIONS[one].weight, arbitrary: fc.record({ do: fc.constant(one), ...numbers }) })),
      ...known
        .filter((one) => OPERATIONS[one].holds)
        .map((one) => ({
          weight: OPERATIONS[one].weight,
          arbitrary: fc.record({
            do: fc.constant(one),
            ...numbers,
            inner: fc.array(tie('operation'), { maxLength: 5 }),
            throws: fc.integer({ min: 0, max: 3 }).map((n) => n === 3),
          }),
        })),
    ) as fc.Arbitrary<Operation>,
  }));
  return fc.array(operation, { maxLength: most, size: 'max' });
}

/**
 * @param profiles which ones. Default: all
 * @param most operations of a program
 */
export const someScenario = (profiles: readonly ProfileName[], most = 40): fc.Arbitrary<Scenario> =>
  fc.oneof(
    ...profiles.map((profile) => ({
      weight: profile === 'solo' ? 3 : 1,
      arbitrary: fc.record({
        profile: fc.constant(profile),
        blueprint: someBlueprint(profile),
        program: someProgram(profile, most),
      }) as fc.Arbitrary<Scenario>,
    })),
  );
