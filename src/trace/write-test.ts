// A Jest test out of recorded steps: the state before them is given, their actions happen, then the state is so.
import {
  checkOptions,
  definitionOf,
  hasOwn,
  isContainer,
  isDate,
  isKeyed,
  lookUp,
  Model,
  parsePointer,
  pointerTo,
  sameData,
  STAYING,
  toText,
} from '../core/internal.js';
import type { AnyStore, Patch } from '../core/index.js';
import { noSuchStep, nothingToTest } from './errors.js';
import { lineOf, traceOf, type GivenTrace } from './file.js';
import { literal, quoted } from './literal.js';
import { changedPlaces } from './places.js';
import { holdsRedacted, REDACTED, Redaction } from './redaction.js';
import { recomputed, type Recomputing } from './recompute.js';
import { titleOf, type Step } from './step.js';
import { patched, type States } from './timeline.js';

/** Options of `writeTest`. */
export interface WriteTestOptions {
  /** The first step that happens in the test. Default: the first action. */
  readonly from?: number;
  /** The last one. Default: the last step. */
  readonly to?: number;
  /** Which branch. Default: the one that the file shows. */
  readonly branch?: number;
  /** Where the test imports the list `stores` from: `'../src/model/index.js'`. */
  readonly model: string;
  /**
   * The stores as the code has them. With them the test gives the states of those stores alone that the steps are about, and
   * dispatches an action of a store with redacted places where it does what was recorded without what stands there. Default:
   * none; the test gives the states of all stores, and states what such an action changed.
   */
  readonly stores?: readonly AnyStore[];
  /** What the test is called. Default: the types of its actions. */
  readonly title?: string;
  /** Where the recording came from, for the comment above the test. Default: no comment. */
  readonly source?: string;
  /**
   * The name of a file beside the test with the state that it begins with, as `givenText` makes it: for states that are too
   * long to be read. Default: the state stands in the test.
   */
  readonly given?: string;
}

/**
 * Writes the source of a Jest test from a range of recorded steps. It passes as written, with the code that was recorded.
 * No task runs in it: what runs dispatched is dispatched.
 * @param file a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NO_SUCH_STEP for a range that is not there, FLOE_NOTHING_TO_TEST where no action is in it; and as `readTrace`
 * @example
 * writeFileSync('cancelling.test.ts', writeTest(file, { from: 12, to: 15, model: '../src/model/index.js' }));
 */
export function writeTest(file: GivenTrace, options: WriteTestOptions): string {
  checkOptions('writeTest', options, ['from', 'to', 'branch', 'model', 'stores', 'title', 'source', 'given']);
  const { model, given, source } = options;
  const { steps, first, before, after, joining, dispatched } = rangeOf(file, options);
  const last = steps[steps.length - 1];
  const refuses = steps.some(
    (step) =>
      dispatched.has(step) &&
      (step.outcome === 'refused' || (step.outcome === 'failed' && step.reason?.startsWith("The rule '") === true)),
  );
  const when = new Lines(dispatched, joining, refuses);
  const begins = when.how;
  for (let i = 0, end: number; i < steps.length; i = end) {
    const { group } = steps[i];
    for (end = i + 1; group !== undefined && steps[end]?.group === group; end++);
    when.add(steps.slice(i, end));
  }
  const title = options.title ?? titleFrom(dispatched);
  const from = source === undefined ? '' : ` from ${source}`;
  const fromFloe = [...(when.patches ? ['applyPatch'] : []), ...(given === undefined ? [] : ['parseSnapshot'])];
  const places = changedPlaces(before, after);
  const joined = [...joining].filter((name) => hasOwn(after, name)).map((name) => pointerTo([name]));
  const checks = [...checksOf([...places, ...joined], after)];
  const uses = ['changedPlaces', 'sameAt', 'testRuntime', 'valueAt'].filter(
    (name) => !name.endsWith('At') || checks.some((line) => line.includes(`${name}(runtime`)),
  );
  const fromTesting = `import { ${uses.join(', ')} } from 'floe/testing';`;
  const imports = [
    ...(given === undefined ? [] : [`import { readFileSync } from 'node:fs';`]),
    `import { expect, test } from '@jest/globals';`,
    ...(fromFloe.length > 0 ? [`import { ${fromFloe.join(', ')} } from 'floe';`] : []),
    fromTesting,
    `import { stores } from ${quoted(model)};`,
  ];
  const begin =
    given === undefined
      ? literal(before, '  ')
      : `parseSnapshot(readFileSync(new URL(${quoted(`./${given}`)}, import.meta.url), 'utf8'))`;
  const body = [
    '  // Given',
    `  const given = ${begin};`,
    `  ${when.patches ? 'let' : 'const'} runtime = testRuntime({ ${begins}, initial: given });`,
    '',
    '  // When',
    ...when.text,
    '',
    '  // Then',
    ...checks,
    `  expect(changedPlaces(given, runtime.snapshot())).toEqual(${literal(places, '  ')});`,
  ];
  const tables = body.some((line) => line.includes('tableOf(')) ? [`import { tableOf } from 'floe/entities';`] : [];
  return [
    comment(`Written by floe${from}: steps ${first} to ${last.seq}.`),
    ...imports.slice(0, -2),
    ...tables,
    ...imports.slice(-2),
    '',
    `test(${quoted(title)}, () => {`,
    ...body,
    '});',
    '',
  ].join('\n');
}

/**
 * The state before a range of steps as text, for the file that the option `given` of `writeTest` names.
 * @throws FLOE_NO_SUCH_STEP for a range that the file does not have
 * @example
 * writeFileSync('cancelling.given.json', givenText(file, { from: 12, to: 15 }));
 */
export function givenText(file: GivenTrace, options: RangeOptions): string {
  return toText(rangeOf(file, options).before) + '\n';
}

type RangeOptions = Pick<WriteTestOptions, 'from' | 'to' | 'branch' | 'stores'>;

interface Range {
  /** From the first action on. */
  readonly steps: readonly Step[];
  /** The number of the first step, which may state a fact before the first action. */
  readonly first: number;
  /** The states before the first action: of the stores that the steps are about, where the code is there to tell. */
  readonly before: States;
  /** The states after the last one, of all stores. */
  readonly after: States;
  /** The stores that join on the way; but one whose first state is what an action made of it begins as it is declared. */
  readonly joining: ReadonlySet<string>;
  /** The actions that happen in the test. */
  readonly dispatched: ReadonlySet<Step>;
}

function rangeOf(given: GivenTrace, { from, to, branch, stores }: RangeOptions): Range {
  const file = traceOf(given);
  const line = lineOf(file, branch);
  const redaction = new Redaction({ state: file.header.redacted ?? [] });
  const indexOf = (seq: number): number => {
    const index = line.findIndex((step) => step.seq === seq);
    if (index < 0) throw noSuchStep(seq, line[0]?.seq ?? 0, line.at(-1)?.seq ?? 0);
    return index;
  };
  const start = from === undefined ? line.findIndex(({ kind }) => kind === 'action') : indexOf(from);
  const end = to === undefined ? line.length - 1 : indexOf(to);
  const range = line.slice(Math.max(0, start), end + 1);
  // What is stated before the first action is how the test begins.
  const secrets = new Secrets(redaction, stores, line);
  let states = patched(file.states, line.slice(0, Math.max(0, start)));
  const happens = new Set<Step>();
  const known: States[] = [];
  for (const step of range) {
    known.push(states);
    if (canHappen(step) && !secrets.matterTo(step, states)) happens.add(step);
    states = patched(states, [step]);
  }
  const action = range.findIndex((step) => happens.has(step));
  if (action < 0) throw nothingToTest(from, to);
  const steps = range.slice(action);
  const before = known[action];
  const concerned = concernedBy(steps, happens, stores);
  const joining = new Set<string>();
  const changed = new Set<string>();
  for (const { kind, changes } of steps)
    for (const name of changes.map(storeAt))
      if (!hasOwn(before, name) && !isStatus(name) && !joining.has(name))
        (kind === 'action' || changed.has(name) ? changed : joining).add(name);
  return {
    ...{ steps, first: range[0].seq, after: ofStores(states), joining, dispatched: happens },
    before: Object.fromEntries(Object.entries(ofStores(before)).filter(([name]) => concerned?.has(name) ?? true)),
  };
}

const storeAt = ({ path }: Patch[number]): string => parsePointer(path)[0];

/** The stores that steps change, or that handle their actions; nothing where only the code could tell. */
function concernedBy(
  steps: readonly Step[],
  happens: ReadonlySet<Step>,
  stores: readonly AnyStore[] | undefined,
): ReadonlySet<string> | undefined {
  if (!stores) return undefined;
  const concerned = new Set(steps.flatMap((step) => [...step.stores, ...step.changes.map(storeAt)]));
  const types = new Set(steps.filter((step) => happens.has(step)).map((step) => step.action!.type));
  for (const store of stores.map(definitionOf))
    for (const type of types) if ([...store.changesFor(type)].length > 0) concerned.add(store.name);
  return concerned;
}

/** Without the status of tasks, with which no test can begin: the names of stores have no dot. */
const ofStores = (states: States): States =>
  Object.fromEntries(Object.entries(states).filter(([name]) => !isStatus(name)));

const isStatus = (name: string): boolean => name.includes('.');

const HAPPENED = new Set(['applied', 'unchanged', 'failed', 'refused']);

const canHappen = ({ kind, outcome, excluded, onTrust }: Step): boolean =>
  kind === 'action' && !excluded && !onTrust && HAPPENED.has(outcome);

/** What is redacted, and what depends on it. */
class Secrets {
  private readonly how: Recomputing | undefined;

  constructor(
    private readonly redaction: Redaction,
    stores: readonly AnyStore[] | undefined,
    line: readonly Step[],
  ) {
    this.how = stores && {
      ...{ model: new Model(stores.map(definitionOf)), redaction },
      refuses: line.some(({ outcome }) => outcome === 'refused'),
      ...{ isExcluded: () => false, isOrphan: () => false },
    };
  }

  /** Whether an action may have done something else than it does where nothing stands at redacted places. */
  matterTo(step: Step, before: States): boolean {
    const { action, stores, outcome } = step;
    const own = [...stores, action!.type.split('.')[0]];
    if (!own.some((store) => this.redaction.covers(store))) return false;
    if (!this.how || holdsRedacted(action!.payload)) return true;
    const { step: found } = recomputed(step, before, this.how);
    if (found.outcome !== outcome || found.reason !== step.reason) return true;
    if (outcome !== 'applied') return false;
    // What it puts at a redacted place is in no step, and would be in the state of the test.
    const after = patched(before, [step]);
    const { changed } = this.how.model.apply(action!, before);
    return !changed.every((one) => sameData(one.after, after[one.store.name]));
  }
}

function titleFrom(dispatched: ReadonlySet<Step>): string {
  const types = [...new Set([...dispatched].map((step) => step.action!.type))];
  return types.length > 3 ? `${types.slice(0, 3).join(', ')} and ${types.length - 3} more` : types.join(', ');
}

/** A comment on one line, whatever a file says: a line break would end it, and what follows would be code. */
const comment = (text: string, indent = ''): string => `${indent}// ${text.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ')}`;

/** What happens in the test. */
class Lines {
  readonly text: string[] = [];
  /** Whether something happens by a patch. */
  patches = false;
  /** The stores that have not joined so far. */
  private readonly absent: Set<string>;

  constructor(
    private readonly dispatched: ReadonlySet<Step>,
    joining: ReadonlySet<string>,
    private readonly refuses: boolean,
  ) {
    this.absent = new Set(joining);
  }

  /** The options of the test's runtime: a store that joins later is not there, and handles nothing. */
  get how(): string {
    const others = [...this.absent].map((name) => `name !== ${quoted(name)}`).join(' && ');
    const stores = others === '' ? 'stores' : `stores: stores.filter(({ name }) => ${others})`;
    return `${stores}, still: true${this.refuses ? ", invariants: 'refuse'" : ''}`;
  }

  /** Steps of one transaction, or one alone. */
  add(steps: readonly Step[]): void {
    // Stores join before what is done with them.
    let first = 0;
    while (steps[first]?.kind === 'fact' && STAYING.has(steps[first].fact!)) this.alone(steps[first++]);
    const rest = steps.slice(first);
    const dispatched = rest.filter((step) => this.dispatched.has(step));
    const isStated = rest.some((step) => patchOf(step).length > 0 && !dispatched.includes(step));
    // What the user undid or reset within a transaction is stated with all of it: one step builds on the other.
    if (rest.length > 1 && isStated && dispatched.length > 0) return this.state(rest, rest.flatMap(patchOf));
    const isWhole = rest.length > 1 && dispatched.length > 0;
    if (isWhole) this.transaction(dispatched);
    for (const step of rest) if (!isWhole || !dispatched.includes(step)) this.alone(step);
  }

  private transaction(steps: readonly Step[]): void {
    const failed = steps.find(({ outcome, caught }) => outcome === 'failed' && !caught);
    const lines = steps.map((step) => {
      const dispatch = dispatchOf(step, '    ');
      const throws = !failed && step.outcome === 'failed';
      return throws ? `    expect(() => ${dispatch}).toThrow(${thrown(step)});` : `    ${dispatch};`;
    });
    const [open, close] = failed
      ? ['expect(() => runtime.atomic(() => {', `})).toThrow(${thrown(failed)});`]
      : ['runtime.atomic(() => {', '});'];
    this.text.push(`  ${open}`, ...lines, `  ${close}`);
  }

  private alone(step: Step): void {
    const { action, outcome } = step;
    if (this.dispatched.has(step)) {
      const dispatch = dispatchOf(step, '  ');
      if (outcome === 'failed' || outcome === 'refused')
        this.text.push(`  expect(() => ${dispatch}).toThrow(${thrown(step)});`);
      else this.text.push(`  ${dispatch};${outcome === 'unchanged' ? ' // It changed nothing.' : ''}`);
      return;
    }
    const patch = patchOf(step);
    if (patch.length > 0) this.state([step], patch);
    else if (action) {
      const why = step.excluded ? 'excluded' : HAPPENED.has(outcome) ? 'it depends on what is redacted' : outcome;
      this.text.push(comment(`Step ${step.seq}, ${action.type}: ${why}.`, '  '));
    }
  }

  /** By a patch what nothing computes. */
  private state(steps: readonly Step[], patch: Patch): void {
    this.patches = true;
    for (const operation of patch) this.absent.delete(storeAt(operation));
    const [first, last] = [steps[0], steps[steps.length - 1]];
    const which =
      first === last
        ? `Step ${first.seq}, ${titleOf(first)}`
        : `Steps ${first.seq} to ${last.seq}, one transaction with ${titleOf(steps.find(({ kind }) => kind === 'fact') ?? last)}`;
    this.text.push(
      comment(`${which}: it states what nothing computes.`, '  '),
      `  runtime = testRuntime({ ${this.how}, initial: applyPatch(runtime.snapshot(), ${literal(patch, '  ')}) });`,
    );
  }
}

/** What a step changes, but for the statuses of tasks. */
const patchOf = ({ changes }: Step): Patch => changes.filter(({ path }) => !isStatus(parsePointer(path)[0]));

/** What it throws, as far as that is known: messages of a production build are other ones. */
const thrown = ({ reason }: Step): string =>
  reason === undefined || reason.includes(REDACTED) || reason.startsWith('FLOE_') ? '' : quoted(reason);

const dispatchOf = ({ action }: Step, indent: string): string => `runtime.dispatch(${literal(action, indent)})`;

/** What is so in the end, at each place that became another. */
function* checksOf(places: readonly string[], after: States): Iterable<string> {
  for (const place of places) {
    const found = lookUp(after, parsePointer(place));
    if (!found) yield `  expect(sameAt(runtime, ${quoted(place)})).toBe(true); // Nothing is there.`;
    else if (isExact(found.value))
      yield `  expect(valueAt(runtime, ${quoted(place)})).toEqual(${literal(found.value, '  ')});`;
    else yield `  expect(sameAt(runtime, ${quoted(place)}, ${literal(found.value, '  ')})).toBe(true);`;
  }
}

/** Whether Jest compares a value as Floe does: not the order of a Map, nor `undefined`, nor an invalid date. */
function isExact(value: unknown): boolean {
  if (value === undefined) return false;
  if (typeof value !== 'object' || value === null) return true;
  if (isDate(value)) return !Number.isNaN(value.getTime());
  if (isKeyed(value)) return [...value.values()].every(isExact);
  return isContainer(value) && Object.values(value).every(isExact);
}
