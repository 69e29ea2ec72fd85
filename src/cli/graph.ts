// `floe graph --model FILE`: what a model declares, and how it hangs together.
import colours from 'picocolors';
import {
  DERIVATION,
  definitionOf,
  messageOf,
  SOURCE,
  typesOf,
  type Derivation,
  type DeclaredTask,
  type Source,
  type StoreDefinition,
} from '../core/internal.js';
import { createRuntime, type Runtime } from '../core/index.js';
import { modelIn, type ModelModule } from './model.js';
import { jsonOf, shown, wrapped, type Output } from './output.js';

export interface GraphOptions {
  readonly model: string;
  readonly dot?: boolean;
  readonly json?: boolean;
}

/** A store, as it is declared. */
interface StoreShown {
  readonly name: string;
  /** Whether something of it is kept between sessions. */
  readonly kept: boolean;
  readonly rules: readonly string[];
  /** The types of its own actions. */
  readonly actions: readonly string[];
  /** The types of actions from elsewhere that it handles. */
  readonly handles: readonly string[];
}

interface SelectorShown {
  readonly name: string;
  /** The names of the stores and selectors that it reads in the state that the stores begin with. */
  readonly reads: readonly string[];
  /** Whether it takes arguments: then only what is declared is known of what it reads. */
  readonly takesArguments: boolean;
  /** Why what it reads could not be found out. */
  readonly problem?: string;
}

interface TaskShown {
  readonly name: string;
  readonly store?: string;
  /** The types of the actions that start it. */
  readonly when: readonly string[];
  readonly atStart: boolean;
}

interface Graph {
  readonly stores: readonly StoreShown[];
  readonly selectors: readonly SelectorShown[];
  readonly tasks: readonly TaskShown[];
}

export async function showGraph({ model, dot, json }: GraphOptions, out: Output): Promise<void> {
  const graph = graphOf(await modelIn(model));
  if (json) out.result(jsonOf(graph));
  else if (dot) for (const line of dotOf(graph)) out.result(line);
  else show(graph, out);
}

function graphOf({ stores: all, exported }: ModelModule): Graph {
  const stores = all.map((store) => definitionOf(store));
  const known = new Set<unknown>();
  const once = <T>(one: T): boolean => !known.has(one) && known.add(one).has(one);
  const derivations = [
    ...stores.flatMap((store) => [...store.derivations.values()]),
    ...exported.flatMap((one) => (one as { [DERIVATION]?: Derivation } | null | undefined)?.[DERIVATION] ?? []),
  ].filter(once);
  const tasks = [...stores.flatMap((store) => store.tasks), ...exported.flatMap((one) => taskOf(one) ?? [])].filter(
    once,
  );
  const runtime = createRuntime({ stores: all, onProblem: () => undefined });
  const graph = {
    stores: stores.map(storeShown),
    selectors: derivations.map((one) => selectorShown(runtime, one)),
    tasks: tasks.map(taskShown),
  };
  void runtime.close();
  return graph;
}

/** What a task declares, where an export is one. */
function taskOf(one: unknown): DeclaredTask | undefined {
  const { definition } = (typeof one === 'function' ? one : {}) as { readonly definition?: DeclaredTask };
  return definition && 'feature' in definition ? definition : undefined;
}

const storeShown = (store: StoreDefinition): StoreShown => {
  const own = new Set(store.types().filter((type) => type.startsWith(`${store.name}.`)));
  const starts = new Set(store.tasks.flatMap(({ options: { when } }) => (when ? typesOf(when) : [])));
  const elsewhere = store.typesFromElsewhere().filter((type) => !own.has(type) && isHandled(store, type, starts));
  return {
    name: store.name,
    kept: store.kept !== undefined,
    rules: store.invariants.map(({ name }) => name),
    actions: [...own],
    handles: [...new Set(elsewhere)],
  };
};

/** Whether a change handles it, and not only a task. */
const isHandled = (store: StoreDefinition, type: string, starts: ReadonlySet<string>): boolean =>
  !starts.has(type) || !store.fromElsewhere(type)[Symbol.iterator]().next().done;

function selectorShown(runtime: Runtime, { name, store, derive }: Derivation): SelectorShown {
  if (store) return { name, reads: [store.name], takesArguments: derive.length > 1 };
  if (derive.length > 1) return { name, reads: [], takesArguments: true };
  const reads = new Set<string>();
  const read = (source: Source<unknown>): unknown => {
    const { of } = source[SOURCE];
    reads.add(of.name);
    return runtime.read(source);
  };
  try {
    (derive as unknown as (read: unknown) => unknown)(read);
  } catch (error) {
    return { name, reads: [...reads], takesArguments: false, problem: messageOf(error) };
  }
  return { name, reads: [...reads], takesArguments: false };
}

const taskShown = ({ name, store, options: { when, atStart = false } }: DeclaredTask): TaskShown => ({
  name,
  ...(store && { store: store.name }),
  when: when ? typesOf(when) : [],
  atStart,
});

function show({ stores, selectors, tasks }: Graph, out: Output): void {
  const width = 12;
  const line = (head: string, parts: readonly string[]): void => {
    if (parts.length > 0) out.result(`  ${head.padEnd(width)}${wrapped(parts, width + 2)}`);
  };
  const own = (name: string, store: string): string =>
    name.startsWith(`${store}.`) ? name.slice(store.length + 1) : name;
  const begins = ({ name, when, atStart }: TaskShown, store: string): string =>
    own(name, store) + (when.length > 0 ? ` (when ${when.join(', ')})` : atStart ? ' (at the start)' : '');
  for (const { name, kept, rules, actions, handles } of stores) {
    out.result(colours.bold(shown(name)) + (kept ? colours.dim('  kept between sessions') : ''));
    line(
      'actions',
      actions.map((type) => own(type, name)),
    );
    line('handles', handles);
    line(
      'rules',
      rules.map((rule) => own(rule, name)),
    );
    line(
      'selectors',
      selectors
        .filter((one) => one.name.startsWith(`${name}.`))
        .map((one) => own(one.name, name) + (one.takesArguments ? '(…)' : '')),
    );
    line(
      'tasks',
      tasks.filter(({ store }) => store === name).map((task) => begins(task, name)),
    );
    out.result('');
  }
  const names = new Set(stores.map(({ name }) => name));
  const across = selectors.filter(({ name }) => !names.has(name.split('.')[0]));
  if (across.length > 0) out.result(colours.bold('Selectors across stores'));
  const called = ({ name, takesArguments }: SelectorShown): string => shown(name) + (takesArguments ? '(…)' : '');
  const widest = Math.max(0, ...across.map((one) => called(one).length));
  for (const one of across) {
    const reads = one.reads.length > 0 ? `reads ${wrapped(one.reads, widest + 10)}` : '';
    out.result(`  ${called(one).padEnd(widest)}  ${reads}`.trimEnd());
    if (one.problem !== undefined) out.result(colours.yellow(`    it threw: ${shown(one.problem)}`));
  }
  if (across.length > 0) out.result('');
  const free = tasks.filter(({ store }) => store === undefined);
  if (free.length > 0) out.result(colours.bold('Tasks of no store'));
  for (const task of free) out.result(`  ${shown(begins(task, ''))}`);
  const count = (list: readonly unknown[], one: string): string =>
    `${list.length} ${one}${list.length === 1 ? '' : 's'}`;
  const actions = stores.flatMap((store) => store.actions);
  out.talk(
    colours.dim(
      `${count(stores, 'store')}, ${count(actions, 'action')}, ${count(selectors, 'selector')}, ${count(tasks, 'task')}.`,
    ),
  );
}

/** The graph in the DOT language: https://graphviz.org/doc/info/lang.html */
function* dotOf({ stores, selectors, tasks }: Graph): Iterable<string> {
  const id = (text: string): string => JSON.stringify(text);
  yield 'digraph model {';
  yield '  rankdir=LR; node [fontname="sans-serif", fontsize=11]; edge [fontname="sans-serif", fontsize=9];';
  for (const { name, kept } of stores) yield `  ${id(name)} [shape=box, style=bold${kept ? ', peripheries=2' : ''}];`;
  const elsewhere = new Set([...stores.flatMap(({ handles }) => handles), ...tasks.flatMap(({ when }) => when)]);
  for (const { name, actions } of stores)
    for (const type of actions) {
      yield `  ${id(type)} [shape=plaintext];`;
      yield `  ${id(type)} -> ${id(name)};`;
      elsewhere.delete(type);
    }
  for (const type of elsewhere) yield `  ${id(type)} [shape=plaintext];`;
  for (const { name, handles } of stores) for (const type of handles) yield `  ${id(type)} -> ${id(name)};`;
  const drawn = new Set([...stores, ...selectors, ...tasks].map(({ name }) => name));
  for (const { name, reads } of selectors) {
    yield `  ${id(name)} [shape=ellipse];`;
    for (const read of reads) {
      yield `  ${id(read)} -> ${id(name)} [style=dashed];`;
      if (drawn.has(read)) continue;
      // A view of a table, a part of a store, or the status of a task: it comes from what is named in front.
      drawn.add(read);
      yield `  ${id(read)} [shape=ellipse];`;
      const from = [...drawn].filter((one) => read.startsWith(`${one}.`)).sort((a, b) => b.length - a.length)[0];
      if (from !== undefined) yield `  ${id(from)} -> ${id(read)} [style=dashed];`;
    }
  }
  for (const { name, when } of tasks) {
    // The others would stand alone: nothing says who runs them.
    if (when.length > 0 || drawn.has(`${name}.status`)) yield `  ${id(name)} [shape=component];`;
    for (const type of when) yield `  ${id(type)} -> ${id(name)};`;
  }
  yield '}';
}
