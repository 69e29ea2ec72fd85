// `floe explore --model FILE`: tries actions in every order, and shows the shortest way to a broken rule.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import colours from 'picocolors';
import { definitionOf, encode } from '../core/internal.js';
import type { AnyAction } from '../core/index.js';
import {
  explore,
  storyTrace,
  type Example,
  type Exploration,
  type ExploreOptions,
  type Finding,
  type StoryStep,
} from '../testing/index.js';
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
  readonly seconds?: string;
  readonly first?: boolean;
  readonly cancels?: boolean;
  readonly save?: string;
  readonly json?: boolean;
}

/** Gives the exit code: 1 where something was found that must not be. */
export async function exploreModel(given: ExploreCommandOptions, out: Output): Promise<0 | 1> {
  const { trace, save, json } = given;
  const [steps, states] = [countOf('--steps', given.steps), countOf('--states', given.states)];
  const seconds = countOf('--seconds', given.seconds);
  const model = await modelIn(given.model, out);
  const examples = [...examplesOf(model), ...(trace === undefined ? [] : await recordedActions(trace, out))];
  if (examples.length === 0) throw noExamples(model.file);
  const progress = progressOf(out);
  const options: ExploreOptions = {
    stores: model.stores,
    examples,
    ...fromModel(model, examples, given.cancels),
    ...(steps !== undefined && { steps }),
    ...(states !== undefined && { states }),
    ...(seconds !== undefined && { time: seconds * 1000 }),
    ...(given.first && { first: true }),
    ...(given.cancels && { cancels: true }),
    onState: (done, known) => progress(() => `${done} of ${known} states looked into`),
  };
  const found = await explore(options);
  const [first] = found.broken as readonly (Finding | undefined)[];
  if (save !== undefined && first) await saveStory(save, options, first);
  if (json) {
    const encoded = ({ story, ...rest }: Finding): object => ({ ...rest, story: story.map(encode) });
    out.result(jsonOf({ ...found, broken: found.broken.map(encoded), failures: found.failures.map(encoded) }));
  } else show(found, options, out);
  if (save !== undefined && !json)
    out.talk(
      first
        ? colours.dim(
            `\nfloe inspect ${save} shows that story, and floe write-test ${save} --model MODULE writes its test.`,
          )
        : colours.dim('\nNothing was saved.'),
    );
  return first ? 1 : 0;
}

const hasRules = ({ stores, atRest }: ExploreOptions): boolean =>
  atRest !== undefined || stores.some((store) => definitionOf(store).invariants.length > 0);

/**
 * What else a module of examples exports under the names of the options. The services and tasks of an application take no part where
 * its examples are actions alone, and nothing says what needs respond.
 */
function fromModel({ named }: ModelModule, examples: readonly Example[], cancels = false): Partial<ExploreOptions> {
  const options: Record<string, unknown> = {};
  const needs: unknown[] = Array.isArray(named.needs) ? named.needs : [];
  const isResponse = (need: unknown): boolean => typeof need === 'object' && need !== null && 'outcomes' in need;
  const isCall = (one: Example): boolean => typeof one === 'object' && 'task' in one;
  if (!(cancels || named.atRest || examples.some(isCall) || needs.some(isResponse))) return options;
  for (const name of ['needs', 'tasks', 'interceptors', 'atRest', 'cancels'] as const)
    if (named[name] !== undefined) options[name] = named[name];
  return options;
}

function examplesOf({ file, named: { examples = [] } }: ModelModule): readonly Example[] {
  if (!Array.isArray(examples)) throw noExamples(file);
  const isExample = (one: unknown): boolean =>
    (typeof one === 'function' && !('type' in one || 'definition' in one)) ||
    typeof (one as { type?: unknown } | null)?.type === 'string' ||
    (typeof one === 'object' && one !== null && 'task' in one);
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

/** The story as a trace, for the inspector, `floe replay` and `floe write-test`. */
async function saveStory(file: string, options: ExploreOptions, finding: Finding): Promise<void> {
  const text = await storyTrace(options, finding);
  try {
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, text);
  } catch (cause) {
    throw fileUnwritable(file, cause);
  }
}

function show(found: Exploration, options: ExploreOptions, out: Output): void {
  const { states, steps, complete, tried, untried, broken, failures } = found;
  const reach = `${counted(states, 'state')}, up to ${counted(steps, 'step')} from the beginning`;
  const rest = complete
    ? 'That is all that can be reached.'
    : broken.length > 0
      ? 'More may lie beyond: --steps, --states, --seconds, and what follows a broken rule.'
      : 'More lie beyond: --steps, --states and --seconds.';
  if (broken.length > 0) out.result(`${colours.red(`${counted(broken.length, 'fault')} found`)} in ${reach}.`);
  else if (!hasRules(options)) out.result(`The model has no rules (store.invariant). ${reach}.`);
  else out.result(`${colours.green('Every rule holds')} in ${reach}.`);
  out.result(colours.dim(rest));
  for (const finding of broken) {
    out.result('');
    out.result(headOf(finding));
    out.result(colours.dim('  A shortest way there:'));
    showWay(finding.story, out);
  }
  out.result('');
  const columns = new Columns(
    out,
    ['action or task', 'applied', 'unchanged', 'failed', 'broke a rule'],
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

/** What was found, in a sentence. */
function headOf({ kind, what, threw }: Finding): string {
  const because = threw === undefined ? '' : `; it threw: ${shown(threw)}`;
  const found = shown(what);
  if (kind === 'rule') return `${colours.bold(`'${found}'`)} does not hold${because}.`;
  if (kind === 'at rest') return `${colours.bold(`'${found}'`)} does not hold when nothing is under way${because}.`;
  const when = kind === 'loop' ? '' : ' when nothing else is under way';
  return `${colours.bold(found)}${when}.`;
}
