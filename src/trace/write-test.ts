// A Jest test out of recorded steps: the state before them is given, their actions happen, then the state is so.
import {
  checkOptions,
  decode,
  eachGroup,
  hasOwn,
  isContainer,
  isDate,
  isKeyed,
  lookUp,
  parsePointer,
  pointerTo,
  STAYING,
  toText,
} from '../core/internal.js';
import type { AnyStore, Patch } from '../core/index.js';
import { traceOf, type GivenTrace } from './file-reading.js';
import { HAPPENED, isStatus, rangeOf, storeAt, type RangeOptions } from './test-range.js';
import { literal, quoted } from './literal.js';
import { changedPlaces } from './places.js';
import { REDACTED } from './redaction/secrets.js';
import { isTestable, storyTest } from './story-test.js';
import type { RecordedFailure } from './story.js';
import { titleOf, type Step } from './step.js';
import type { States } from './kept-states.js';

/** Options of `writeTest`. */
export interface WriteTestOptions {
  /** The first step that happens in the test; a transaction happens as a whole. Default: the first action. */
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
 * No task runs in it: what runs dispatched is dispatched. Of a story that `explore` found, tasks run, their calls get their responses in
 * the order of the story, and the test fails as long as the story leads to what it led to.
 * @param trace a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NO_SUCH_STEP for a range that is not there, FLOE_NOTHING_TO_TEST where no action is in it; and as `readTrace`
 * @example
 * writeFileSync('cancelling.test.ts', writeTest(file, { from: 12, to: 15, model: '../src/model/index.js' }));
 */
export function writeTest(trace: GivenTrace, options: WriteTestOptions): string {
  checkOptions('writeTest', options, ['from', 'to', 'branch', 'model', 'stores', 'title', 'source', 'given']);
  const { given, source } = options;
  // Lines may come once.
  const file = traceOf(trace);
  const { story, fails } = file.header;
  const failure = options.from === undefined && options.to === undefined ? fails : undefined;
  if (story && isTestable(story) && options.from === undefined && options.to === undefined)
    return storyTest({
      ...story,
      model: options.model,
      title: options.title ?? story.what,
      comment: comment(
        `Written by floe${source === undefined ? '' : ` from ${source}`}: it fails as long as the story leads there.`,
      ),
    });
  const { steps, first, before, after, joining, dispatched } = rangeOf(file, options);
  const last = steps[steps.length - 1];
  const refuses = steps.some(
    (step) =>
      dispatched.has(step) &&
      (step.outcome === 'refused' || (step.outcome === 'failed' && step.reason?.startsWith("The rule '") === true)),
  );
  const when = new Lines(dispatched, joining, refuses, failure !== undefined && failure.kind !== 'differs');
  const begins = when.how;
  eachGroup(steps, 0, (together) => when.add(together));
  const title = options.title ?? failure?.what ?? titleFrom(dispatched);
  const from = source === undefined ? '' : ` from ${source}`;
  const places = changedPlaces(before, after);
  const joined = [...joining].filter((name) => hasOwn(after, name)).map((name) => pointerTo([name]));
  const checks = [...checksOf([...places, ...joined], after)];
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
    ...(failure && failure.kind !== 'differs'
      ? [mustNot(failure)]
      : [...checks, `  expect(changedPlaces(given, runtime.snapshot())).toEqual(${literal(places, '  ')});`]),
  ];
  return [
    comment(
      `Written by floe${from}: steps ${first} to ${last.seq}.${failure ? ' It fails until that is mended.' : ''}`,
    ),
    ...importsOf(body, options, when.patches),
    '',
    `test(${quoted(title)}, () => {`,
    ...body,
    '});',
    '',
  ].join('\n');
}

/** What must not be at the end, of a recording that fails. */
function mustNot({ kind, what = '', value }: RecordedFailure): string {
  if (kind === 'value')
    return `  expect(sameAt(runtime, ${quoted(what)}, ${literal(decode(value), '  ')})).toBe(false);`;
  // A change that throws has thrown above.
  return '  expect(runtime.problems.map(({ error }) => String(error))).toEqual([]);';
}

/** The imports of what a test calls. */
function importsOf(body: readonly string[], { model, given }: WriteTestOptions, patches: boolean): string[] {
  const calls = (start: string): boolean => body.some((line) => line.includes(start));
  const from = (names: readonly string[], module: string): string[] =>
    names.length > 0 ? [`import { ${names.join(', ')} } from '${module}';`] : [];
  const fromFloe = [...(patches ? ['applyPatch'] : []), ...(given === undefined ? [] : ['parseSnapshot'])];
  const fromTesting = ['changedPlaces', 'sameAt', 'testRuntime', 'valueAt'].filter(
    (name) => name === 'testRuntime' || calls(name === 'changedPlaces' ? `${name}(given` : `${name}(runtime`),
  );
  return [
    ...(given === undefined ? [] : [`import { readFileSync } from 'node:fs';`]),
    `import { expect, test } from '@jest/globals';`,
    ...from(fromFloe, 'floe'),
    ...from(calls('tableOf(') ? ['tableOf'] : [], 'floe/entities'),
    ...from(fromTesting, 'floe/testing'),
    `import { stores } from ${quoted(model)};`,
  ];
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
    /** What fails is what the test is about: it fails there. */
    private readonly isFailing: boolean,
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
    const failed = this.isFailing ? undefined : steps.find(({ outcome, caught }) => outcome === 'failed' && !caught);
    const lines = steps.map((step) => {
      const dispatch = dispatchOf(step, '    ');
      const throws = !failed && !this.isFailing && step.outcome === 'failed';
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
      if ((outcome === 'failed' || outcome === 'refused') && !this.isFailing)
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
