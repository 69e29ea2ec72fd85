// `floe explore --model FILE`: tries actions in every order, and shows the shortest way to a broken rule.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import colours from 'picocolors';
import { definitionOf, encode, STILL } from '../core/internal.js';
import { createRuntime, type AnyAction } from '../core/index.js';
import { explore, type Example, type Exploration, type Finding, type StoryStep } from '../testing/index.js';
import { recording } from '../trace/index.js';
import { badExample, fileUnwritable, noExamples } from './errors.js';
import { readTraceFile } from './input.js';
import { modelIn, type ModelModule } from './model.js';
import { countOf } from './options.js';
import { Columns, counted, jsonOf, progressOf, shown, wrapped, type Output } from './output.js';

export interface ExploreCommandOptions {
  /** Default: the project's own. */
  readonly model?: string;
  readonly trace?: string;
  readonly steps?: string;
  readonly states?: string;
  readonly save?: string;
  readonly json?: boolean;
}

/** Gives the exit code: 1 where a rule does not hold somewhere. */
export async function exploreModel(options: ExploreCommandOptions, out: Output): Promise<0 | 1> {
  const { trace, save, json } = options;
  const [steps, states] = [countOf('--steps', options.steps), countOf('--states', options.states)];
  const model = await modelIn(options.model, out);
  const { file } = model;
  const examples = [...examplesOf(file, model), ...(trace === undefined ? [] : await recordedActions(trace, out))];
  if (examples.length === 0) throw noExamples(file);
  const progress = progressOf(out);
  const found = await explore({
    stores: model.stores,
    examples,
    ...(steps !== undefined && { steps }),
    ...(states !== undefined && { states }),
    onState: (done, known) => progress(() => `${done} of ${known} states looked into`),
  });
  const [first] = found.broken as readonly (Finding | undefined)[];
  if (save !== undefined && first) saveTrace(save, model, first.story.flatMap((step) => (step.does === 'dispatch' ? [step.action] : [])));
  if (json) {
    const encoded = ({ story, ...rest }: Finding): object => ({ ...rest, story: story.map(encode) });
    out.result(jsonOf({ ...found, broken: found.broken.map(encoded), failures: found.failures.map(encoded) }));
  } else show(found, hasRules(model), out);
  if (save !== undefined && !json)
    out.talk(first ? colours.dim(`\nfloe inspect ${save} shows that way.`) : colours.dim('\nNothing was saved.'));
  return first ? 1 : 0;
}

const hasRules = ({ stores }: ModelModule): boolean =>
  stores.some((store) => definitionOf(store).invariants.length > 0);

function examplesOf(file: string, { examples = [] }: ModelModule): readonly Example[] {
  if (!Array.isArray(examples)) throw noExamples(file);
  const isExample = (one: unknown): boolean =>
    (typeof one === 'function' && !('type' in one)) || typeof (one as { type?: unknown } | null)?.type === 'string';
  const wrong = examples.findIndex((one) => !isExample(one) || (typeof one === 'function' && 'made' in one));
  if (wrong >= 0) throw badExample(file, wrong);
  return examples as readonly Example[];
}

/** Each different action of a trace once, but for those of which a part is redacted. */
async function recordedActions(file: string, out: Output): Promise<readonly AnyAction[]> {
  const actions = new Map<string, AnyAction>();
  for (const { action, onTrust } of (await readTraceFile(file, out)).steps)
    if (action && !onTrust) actions.set(JSON.stringify(encode(action)), action);
  return [...actions.values()];
}

/** The way as a trace, for the inspector, `floe replay` and `floe write-test`. */
function saveTrace(file: string, { stores }: ModelModule, actions: readonly AnyAction[]): void {
  // No task of the application runs: what it would ask of an office is not asked.
  const runtime = createRuntime({ stores, trace: recording(), [STILL]: true, onProblem: () => undefined });
  for (const action of actions) runtime.dispatch(action);
  try {
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, runtime.trace.export());
  } catch (cause) {
    throw fileUnwritable(file, cause);
  }
  void runtime.close();
}

function show(found: Exploration, isRuled: boolean, out: Output): void {
  const { states, steps, complete, tried, untried, broken, failures } = found;
  const reach = `${counted(states, 'state')}, up to ${counted(steps, 'action')} from the beginning`;
  const rest = complete
    ? ' That is all that these actions can reach.'
    : broken.length > 0
      ? ' More lie beyond: --steps and --states, and what follows a broken rule.'
      : ' More lie beyond: --steps and --states.';
  if (!isRuled) out.result(`The model has no rules (store.invariant). ${reach}.${rest}`);
  else if (broken.length === 0) out.result(`${colours.green('Every rule holds')} in ${reach}.${rest}`);
  else {
    const rules = counted(broken.length, 'rule does', 'rules do');
    out.result(`${colours.red(`${rules} not hold`)} in some of ${reach}.${rest}`);
  }
  for (const finding of broken) {
    out.result('');
    const threw = finding.threw === undefined ? '' : `; it threw: ${shown(finding.threw)}`;
    out.result(`${colours.bold(`'${shown(finding.what)}'`)} does not hold${threw}. A shortest way there:`);
    showWay(finding.story, out);
  }
  out.result('');
  const columns = new Columns(
    out,
    ['action', 'applied', 'unchanged', 'failed', 'broke a rule'],
    ['left', ...(['right', 'right', 'right', 'right'] as const)],
  );
  const number = (count: number, tone: (text: string) => string = String): string =>
    count === 0 ? colours.dim('0') : tone(count.toLocaleString('en'));
  columns.write(
    tried.map(({ type, applied, unchanged, failed, broke }) => [
      shown(type),
      number(applied),
      number(unchanged),
      number(failed, colours.yellow),
      number(broke, colours.red),
    ]),
  );
  for (const { what, story } of failures) {
    out.result('');
    out.result(colours.yellow(shown(what)));
    showWay(story, out);
  }
  if (untried.length > 0) {
    out.result('');
    out.result('Not tried, since no example is of these types:');
    out.result(`  ${wrapped(untried, 2)}`);
  }
}

function showWay(story: readonly StoryStep[], out: Output): void {
  if (story.length === 0) out.result('  The stores begin like that.');
  for (const [i, { says }] of story.entries()) out.result(`  ${String(i + 1).padStart(2)}  ${shown(says)}`);
}
