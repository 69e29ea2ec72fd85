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

/** The operations of one program, and the numbers that they may carry. */
interface Swarm {
  readonly known: readonly OperationName[];
  readonly weight: (operation: OperationName) => number;
  readonly a: readonly number[];
  readonly b: readonly number[];
}

/** Without these nothing happens, or nothing that was asked of a storage comes to an end. */
const ALWAYS: readonly OperationName[] = ['dispatch', 'serve', 'deliver'];

/**
 * Which operations one program has: all, or few, which meet each other all the more often (swarm testing: Groce et al., "Swarm
 * Testing", 2012). The same for the numbers that choose stores and actions.
 */
function someSwarm(name: ProfileName): fc.Arbitrary<Swarm> {
  const groups: readonly string[] = PROFILES[name].groups;
  const known = (Object.keys(OPERATIONS) as OperationName[]).filter((one) => groups.includes(OPERATIONS[one].group));
  const usual = (one: OperationName): number => OPERATIONS[one].weight;
  // Among few, what is rare otherwise comes often.
  const levelled = (one: OperationName): number => Math.ceil(Math.sqrt(usual(one)));
  const weighted = known.flatMap((one) => Array.from({ length: levelled(one) }, () => one));
  const few = fc.record({
    known: fc
      .array(fc.constantFrom(...weighted), { minLength: 3, maxLength: 14, size: 'max' })
      .map((some) => [...new Set([...ALWAYS.filter((one) => known.includes(one)), ...some])]),
    weight: fc.constant(levelled),
    a: fc.array(small, { minLength: 1, maxLength: 3 }),
    b: fc.array(small, { minLength: 2, maxLength: 5 }),
  });
  const numbers = Array.from({ length: 31 }, (_, i) => i);
  return fc.oneof(
    { weight: 1, arbitrary: fc.constant({ known, weight: usual, a: numbers, b: numbers }) },
    { weight: 2, arbitrary: few },
  );
}

const small = fc.nat(30);

function someOperation({ known, weight, a, b }: Swarm): fc.Arbitrary<Operation> {
  const numbers = { s: fc.nat(3), a: fc.constantFrom(...a), b: fc.constantFrom(...b), x: small };
  const inside = known.filter((one) => OPERATIONS[one].outside === undefined);
  const { outer } = fc.letrec<{ outer: Operation; inner: Operation }>((tie) => {
    const among = (names: readonly OperationName[]): fc.Arbitrary<Operation> =>
      fc.oneof(
        { depthSize: 'small', maxDepth: 3, withCrossShrink: true },
        ...[...names]
          .sort((one, other) => Number(OPERATIONS[one].holds ?? 0) - Number(OPERATIONS[other].holds ?? 0))
          .map((one) => ({
            weight: weight(one),
            arbitrary: fc.record({
              do: fc.constant(one),
              ...numbers,
              ...(OPERATIONS[one].holds && {
                inner: fc.array(tie('inner'), { maxLength: 5 }),
                throws: fc.integer({ min: 0, max: 3 }).map((n) => n === 3),
              }),
            }),
          })),
      ) as fc.Arbitrary<Operation>;
    return { outer: among(known), inner: among(inside) };
  });
  return outer;
}

const someProgram = (name: ProfileName, most: number): fc.Arbitrary<readonly Operation[]> =>
  someSwarm(name).chain((swarm) =>
    fc.array(someOperation(swarm), { minLength: Math.min(8, most), maxLength: most, size: 'max' }),
  );

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
