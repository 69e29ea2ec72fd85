// A Jest test out of recorded steps: the state before them is given, their actions happen, then the state is so.
import { checkOptions } from '../core/options.js';
import { difference } from '../core/diff.js';
import { toText } from '../core/encode.js';
import type { Patch } from '../core/index.js';
import { lookUp, pointerTo } from '../core/plain.js';
import { parsePointer } from '../core/pointer.js';
import { noSuchStep, nothingToTest } from './errors.js';
import { traceOf, type GivenTrace } from './file.js';
import { literal, quoted } from './literal.js';
import { titleOf, type Step } from './step.js';
import { lineOf, patched, type States } from './timeline.js';

export interface WriteTestOptions {
  /** The first step that happens in the test. Default: the first action. */
  readonly from?: number;
  /** The last one. Default: the last step. */
  readonly to?: number;
  /** Where the test imports the list `stores` from: `'../src/model/index.js'`. */
  readonly model: string;
  /** What the test is called. Default: the types of its actions. */
  readonly title?: string;
  /** Where the recording came from, for the comment above the test. */
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
  checkOptions('writeTest', options, ['from', 'to', 'model', 'title', 'source', 'given']);
  const { model, given, source } = options;
  const { steps, before, internal } = rangeOf(file, options);
  const [first, last] = [steps[0], steps[steps.length - 1]];
  const refuses = steps.some((step) => isDispatched(step) && step.outcome === 'refused');
  const how = `stores, still: true${refuses ? ", invariants: 'refuse'" : ''}`;
  const when = new Lines(internal, how);
  let states = before;
  for (let i = 0, end: number; i < steps.length; i = end) {
    const { group } = steps[i];
    for (end = i + 1; group !== undefined && steps[end]?.group === group; end++);
    when.add(steps.slice(i, end), states);
    states = patched(states, steps.slice(i, end));
  }
  const checks = [...checksOf(without(before, internal), without(states, internal))];
  const title = options.title ?? titleFrom(steps);
  const from = source === undefined ? '' : ` from ${source}`;
  const imports = [
    ...(given === undefined ? [] : [`import { readFileSync } from 'node:fs';`]),
    `import { expect, test } from '@jest/globals';`,
    ...(when.patches ? [`import { applyPatch } from 'floe';`] : []),
    `import { testRuntime, valueAt } from 'floe/testing';`,
    `import { stores } from ${quoted(model)};`,
  ];
  const begin =
    given === undefined
      ? literal(without(before, internal), '  ')
      : `readFileSync(new URL(${quoted(`./${given}`)}, import.meta.url), 'utf8')`;
  const body = [
    '  // Given',
    `  const given = ${begin};`,
    `  ${when.patches ? 'let' : 'const'} runtime = testRuntime({ ${how}, initial: given });`,
    '',
    '  // When',
    ...when.text,
    '',
    '  // Then',
    ...(checks.length > 0
      ? checks
      : [`  expect(runtime.snapshot()).toEqual(testRuntime({ ${how}, initial: given }).snapshot());`]),
  ];
  const tables = body.some((line) => line.includes('tableOf(')) ? [`import { tableOf } from 'floe/entities';`] : [];
  return [
    `// Written by floe${from}: steps ${first.seq} to ${last.seq}.`,
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
 * @throws as `writeTest`
 */
export function givenText(file: GivenTrace, options: Pick<WriteTestOptions, 'from' | 'to'>): string {
  const { before, internal } = rangeOf(file, options);
  return toText(without(before, internal)) + '\n';
}

interface Range {
  readonly steps: readonly Step[];
  readonly before: States;
  /** What holds the status of tasks: no test can begin with it. */
  readonly internal: ReadonlySet<string>;
}

function rangeOf(given: GivenTrace, { from, to }: Pick<WriteTestOptions, 'from' | 'to'>): Range {
  const file = traceOf(given);
  const line = lineOf(file.steps);
  const indexOf = (seq: number): number => {
    const index = line.findIndex((step) => step.seq === seq);
    if (index < 0) throw noSuchStep(seq, line[0]?.seq ?? 0, line.at(-1)?.seq ?? 0);
    return index;
  };
  const start = from === undefined ? line.findIndex(({ kind }) => kind === 'action') : indexOf(from);
  const end = to === undefined ? line.length - 1 : indexOf(to);
  const steps = line.slice(Math.max(0, start), end + 1);
  if (!steps.some(isDispatched)) throw nothingToTest(from, to);
  const internal = new Set(line.flatMap(({ run }) => (run ? [`${run.task}.status`] : [])));
  return { steps, before: patched(file.states, line.slice(0, Math.max(0, start))), internal };
}

const without = (states: States, internal: ReadonlySet<string>): States =>
  Object.fromEntries(Object.entries(states).filter(([name]) => !internal.has(name)));

const isDispatched = ({ kind, outcome, excluded, onTrust }: Step): boolean =>
  kind === 'action' && !excluded && !onTrust && ['applied', 'unchanged', 'failed', 'refused'].includes(outcome);

function titleFrom(steps: readonly Step[]): string {
  const types = [...new Set(steps.filter(isDispatched).map((step) => step.action!.type))];
  return types.length > 3 ? `${types.slice(0, 3).join(', ')} and ${types.length - 3} more` : types.join(', ');
}

/** What happens in the test. */
class Lines {
  readonly text: string[] = [];
  /** Whether something happens by a patch. */
  patches = false;

  constructor(
    private readonly internal: ReadonlySet<string>,
    /** The options of the test's runtime. */
    private readonly how: string,
  ) {}

  add(steps: readonly Step[], before: States): void {
    const together = steps.filter(isDispatched);
    if (together.length > 1 && together.every(({ outcome }) => outcome !== 'failed' && outcome !== 'refused')) {
      this.text.push('  runtime.atomic(() => {');
      for (const step of together) this.text.push(`    ${dispatchOf(step, '    ')};`);
      this.text.push('  });');
      return;
    }
    for (const step of steps) this.alone(step, before);
  }

  private alone(step: Step, before: States): void {
    const { action, outcome, changes } = step;
    if (isDispatched(step)) {
      const dispatch = dispatchOf(step, '  ');
      if (outcome === 'failed' || outcome === 'refused') this.text.push(`  expect(() => ${dispatch}).toThrow();`);
      else if (outcome === 'unchanged') this.text.push(`  expect(${dispatch}).toBe('unchanged');`);
      else this.text.push(`  ${dispatch};`);
      return;
    }
    const patch = changes.filter(({ path }) => !this.internal.has(parsePointer(path)[0]));
    if (patch.length > 0) {
      const joined = patch.every(
        ({ op, path }) => op === 'add' && parsePointer(path).length === 1 && !(parsePointer(path)[0] in before),
      );
      // A store that joins begins as it is declared.
      if (joined && step.fact !== 'rehydrated') return;
      this.patches = true;
      this.text.push(
        `  // Step ${step.seq}, ${titleOf(step)}: it states what nothing computes.`,
        `  runtime = testRuntime({ ${this.how}, initial: applyPatch(runtime.snapshot(), ${literal(patch, '  ')}) });`,
      );
    } else if (action && (outcome === 'stopped' || outcome === 'waiting' || step.excluded)) {
      this.text.push(`  // Step ${step.seq}, ${action.type}: ${step.excluded ? 'excluded' : outcome}.`);
    }
  }
}

const dispatchOf = ({ action }: Step, indent: string): string => `runtime.dispatch(${literal(action, indent)})`;

/** What is so in the end, of what became another. */
function* checksOf(before: States, after: States): Iterable<string> {
  for (const keys of placesOf(difference(before, after).changes, after)) {
    const found = lookUp(after, keys);
    const value = `valueAt(runtime, ${quoted(pointerTo(keys))})`;
    yield found ? `  expect(${value}).toEqual(${literal(found.value, '  ')});` : `  expect(${value}).toBeUndefined();`;
  }
}

/** The places that a patch changes: of lists whose items came or went, the list. */
function placesOf(patch: Patch, after: States): readonly (readonly string[])[] {
  const places = new Map<string, readonly string[]>();
  for (const { op, path } of patch) {
    let keys = parsePointer(path);
    const holder = keys.slice(0, -1);
    if (op !== 'replace' && Array.isArray(lookUp(after, holder)?.value)) keys = holder;
    places.set(pointerTo(keys), keys);
  }
  return [...places]
    .filter(([own]) => ![...places.keys()].some((other) => own.startsWith(other + '/')))
    .map(([, keys]) => keys);
}
