// The titles that a model declares for its actions and tasks. They are evaluated for tools and for files, over what is
// recorded, so that no secret gets into one; a dispatch never evaluates them.
import type { About, AnyStore } from '../core/index.js';
import { definitionOf } from '../core/internal.js';
import { settledBy, type Step } from './step.js';
import type { States } from './kept-states.js';

/** What titles are made from. */
export interface Titled {
  about(kind: 'action' | 'task', name: string): About | undefined;
  step(seq: number): Step | undefined;
  /** The states before a step; nothing where they are no longer known. */
  before(step: Step): States | undefined;
  /** A function threw. */
  threw(name: string, error: unknown): void;
}

/** What a title is made of. */
type Titleable = Partial<Pick<Step, 'action' | 'fact' | 'run' | 'about' | 'alsoAbout'>>;

/** The title of a step as its model declares it; nothing where it declares none, or where its function throws. */
export function declaredTitle(step: Titleable, titled: Titled): string | undefined {
  const { action, fact, run } = step;
  try {
    if (run) return textOf(titled.about('task', run.task)?.title, run.args);
    if (fact === 'confirmed' || fact === 'reverted') {
      const types = new Set(settledBy(step as Step).map((seq) => titled.step(seq)?.action?.type));
      if (types.size > 1) return undefined;
      const type = [...types][0] ?? action?.type;
      return type === undefined ? undefined : textOf(titled.about('action', type)?.[fact], []);
    }
    const title = action && titled.about('action', action.type)?.title;
    if (typeof title !== 'function') return textOf(title, []);
    return textOf(title, [
      action!.payload,
      (store: AnyStore) => titled.before(step as Step)?.[definitionOf(store).name],
    ]);
  } catch (error) {
    // A title is a help: where it fails, the name of the step is shown.
    titled.threw(run?.task ?? action?.type ?? fact ?? '', error);
    return undefined;
  }
}

function textOf(title: unknown, args: readonly unknown[]): string | undefined {
  const text: unknown = typeof title === 'function' ? (title as (...args: unknown[]) => unknown)(...args) : title;
  return typeof text === 'string' && text !== '' ? text : undefined;
}

/** The same for many steps in a row: what is declared about a name is looked up once. */
export function titler(titled: Titled): (step: Step) => string | undefined {
  const known = new Map<string, About | undefined>();
  const about: Titled['about'] = (kind, name) => {
    const key = `${kind} ${name}`;
    if (!known.has(key)) known.set(key, titled.about(kind, name));
    return known.get(key);
  };
  const quick: Titled = { ...titled, about };
  return (step) => declaredTitle(step, quick);
}

/** The same steps with the titles that the model declares. */
export function* withTitles(
  steps: Iterable<Step>,
  { titler: make }: { titler(): (step: Step) => string | undefined },
): Iterable<Step> {
  const titleOf = make();
  for (const step of steps) {
    const title = titleOf(step);
    yield title === undefined || title === step.title ? step : { ...step, title };
  }
}
