// `floe graph --model FILE`: shows what a model declares, as text, as JSON or in the DOT language.
import colours from 'picocolors';
import type { Model, ModelSelector, ModelTask } from '../inspector/ends/index.js';
import { graphOf } from './model-graph.js';
import { modelIn } from './model.js';
import { counted, jsonOf, shown, wrapped, type Output } from './output.js';

export interface GraphOptions {
  /** Default: the project's own. */
  readonly model?: string;
  readonly dot?: boolean;
  readonly json?: boolean;
}

export async function showGraph({ model, dot, json }: GraphOptions, out: Output): Promise<void> {
  const graph = graphOf(await modelIn(model, out));
  if (json) out.result(jsonOf(graph));
  else if (dot) for (const line of dotOf(graph)) out.result(line);
  else show(graph, out);
}

function show({ stores, selectors, tasks }: Model, out: Output): void {
  const width = 12;
  const line = (head: string, parts: readonly string[]): void => {
    if (parts.length > 0) out.result(`  ${head.padEnd(width)}${wrapped(parts, width + 2)}`);
  };
  const own = (name: string, store: string): string =>
    name.startsWith(`${store}.`) ? name.slice(store.length + 1) : name;
  const begins = ({ name, when, atStart }: ModelTask, store: string): string =>
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
  const called = ({ name, takesArguments }: ModelSelector): string => shown(name) + (takesArguments ? '(…)' : '');
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
  const count = (list: readonly unknown[], one: string): string => counted(list.length, one);
  const actions = stores.flatMap((store) => store.actions);
  out.talk(
    colours.dim(
      `${count(stores, 'store')}, ${count(actions, 'action')}, ${count(selectors, 'selector')}, ${count(tasks, 'task')}.`,
    ),
  );
}

/** The graph in the DOT language: https://graphviz.org/doc/info/lang.html */
function* dotOf({ stores, selectors, tasks }: Model): Iterable<string> {
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
