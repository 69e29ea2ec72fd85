// Tries everything that may happen in every order, breadth first: the first story that is found is one with the fewest steps.
import { badOption, checkOptions, encode, STILL, type DeclaredTask } from '../../core/internal.js';
import { createRuntime } from '../../core/index.js';
import { recording, type StoryStep, type TraceHeader } from '../../trace/index.js';
import type { Exploration, ExploreOptions, Finding } from './exploration.js';
import { isCall } from './examples.js';
import { ModelSearch } from './model-search.js';
import { RunSearch } from './run-search.js';
import { recorded } from './story.js';

const OPTIONS: readonly (keyof ExploreOptions)[] = [
  'stores',
  'examples',
  'needs',
  'tasks',
  'interceptors',
  'atRest',
  'cancels',
  'steps',
  'states',
  'time',
  'first',
  'onState',
];

/**
 * Tries actions, tasks, the responses that tasks wait for, timers and cancellations in every order, and gives the shortest story that
 * leads to each broken rule. Where no task takes part, nothing is dispatched, and only what actions change is computed. Where tasks run,
 * each story is played on a new runtime with a clock of its own, since runs cannot be copied: what a search costs grows with the number
 * of stories, and with their length. States that break a rule are not gone on from.
 * @throws FLOE_BAD_OPTION, FLOE_UNKNOWN_ACTION for an example that no store handles, FLOE_NO_OUTCOMES for a call that `needs` does not
 * answer, FLOE_NOT_REPEATABLE where a story that is played again goes another way
 * @example
 * const { broken } = await explore({
 *   stores,
 *   examples: [assignBerth('v1', 'N1'), assignBerth('v2', 'N1')],
 *   needs: [office.outcomes({ assign: (id, berth) => [{ id, berth }, new Error('taken')] })],
 * });
 * expect(broken).toEqual([]);
 */
export async function explore(options: ExploreOptions): Promise<Exploration> {
  checkOptions('explore', options, OPTIONS);
  for (const name of ['stores', 'examples', 'needs', 'tasks', 'interceptors'] as const) {
    const isNeeded = name === 'stores' || name === 'examples';
    if (!Array.isArray(options[name]) && (isNeeded || options[name] !== undefined))
      throw badOption('explore', name, 'takes a list');
  }
  for (const name of ['steps', 'states', 'time'] as const) {
    const value = options[name];
    if (value !== undefined && !(Number.isInteger(value) && value > 0))
      throw badOption('explore', name, 'takes a whole number from 1 on');
  }
  for (const [name, rule] of Object.entries(options.atRest ?? {}))
    if (typeof rule !== 'function') throw badOption('explore', `atRest['${name}']`, 'takes a function: (read) => ...');
  options.needs?.forEach(checkNeed);
  options.examples.forEach(checkExample);
  return tasksRun(options) ? new RunSearch(options).run() : new ModelSearch(options).run();
}

/** Whether tasks take part; else only what actions change is tried. */
const tasksRun = ({ examples, needs, tasks, interceptors, atRest, cancels }: ExploreOptions): boolean =>
  cancels === true || [needs, tasks, interceptors, atRest].some((one) => one !== undefined) || examples.some(isCall);

/** @throws FLOE_BAD_OPTION */
function checkExample(example: unknown, index: number): void {
  const which = `examples[${index}]`;
  if (isCall(example)) return;
  const type = typeof example === 'function' || example ? (example as { type?: unknown }).type : undefined;
  if (typeof example === 'function' && typeof type === 'string')
    throw badOption('explore', which, `is the creator of '${type}'; call it: creator(payload)`);
  if (typeof example === 'function' && 'definition' in example)
    throw badOption(
      'explore',
      which,
      `is the task '${(example.definition as DeclaredTask).name}'; call it: task(...arguments)`,
    );
  if (typeof example !== 'function' && typeof type !== 'string')
    throw badOption(
      'explore',
      which,
      'is neither an action, nor a call of a task, nor a function that gives a list of them',
    );
}

/** @throws FLOE_BAD_OPTION */
function checkNeed(given: unknown, index: number): void {
  const { need, ...more } = (given ?? {}) as { need?: unknown; value?: unknown; outcomes?: unknown };
  if (!need || !('value' in more || 'outcomes' in more))
    throw badOption('explore', `needs[${index}]`, 'takes what a need gives: office.outcomes({...}) or office.by(...)');
}

/**
 * A recording of a finding, as the text of a trace file: `floe inspect` shows it, and `floe write-test` writes the test that has the
 * same calls respond in the same order. Where no task runs in the story, none runs in the recording.
 * @param options those that `explore` was called with
 * @throws FLOE_NOT_REPEATABLE where the story goes another way
 * @example
 * const [first] = (await explore(options)).broken;
 * if (first) writeFileSync('way.jsonl', await storyTrace(options, first));
 */
export async function storyTrace(options: ExploreOptions, { kind, what, story }: Finding): Promise<string> {
  const still = !tasksRun(options);
  const text = await (still ? recordedActions(options, story) : recorded(options, story));
  const end = text.indexOf('\n');
  const header = {
    ...(JSON.parse(text.slice(0, end)) as TraceHeader),
    story: { kind, what, story: story.map(encode), ...(still && { still }) },
  };
  return JSON.stringify(header) + text.slice(end);
}

async function recordedActions({ stores }: ExploreOptions, story: readonly StoryStep[]): Promise<string> {
  const runtime = createRuntime({ stores, trace: recording(), [STILL]: true, onProblem: () => undefined });
  for (const step of story) if (step.does === 'dispatch') runtime.dispatch(step.action);
  const text = runtime.trace.export();
  await runtime.close();
  return text;
}
