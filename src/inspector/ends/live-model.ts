// The model of an application that runs: what its stores declare, what its selectors read now, and what its tasks have done.
import { readerOf, storesOf, type Extensible, type LiveSource, type StoreDefinition } from '../../core/internal.js';
import type { TraceSource } from '../../trace/internal.js';
import { isStatusStore } from '../history/step-columns.js';
import type { StepIndex } from '../history/step-index.js';
import type { ModelPath, ModelSelector, ModelShown, ModelTask } from '../protocol/protocol.js';
import { storeDeclared, taskDeclared } from './declared-model.js';
import type { RequestHandlers } from '../protocol/rpc.js';
import type { HistoryEnd } from './history-end.js';
import type { Observing } from './observing.js';

interface Known {
  readonly host: Extensible;
  readonly source: TraceSource;
  readonly index: StepIndex;
}

/** So many steps, the newest, tell what the runs of tasks dispatch; and so many of a moment, what took part in it. */
const MOST_STEPS = 5000;
const MOST_OF_MOMENT = 500;

/** Of selectors with one name and other arguments, so many are looked into. */
const MOST_ALIKE = 20;

/** The store of a task's status is named after it. */
const withoutStatus = (name: string): string => (isStatusStore(name) ? name.slice(0, -'.status'.length) : name);

function liveModel(known: Known, live: readonly LiveSource[]): ModelShown {
  const stores = storesOf(known.host);
  const dispatched = dispatchedBy(known);
  const declared = stores.flatMap((store) => store.tasks.map(taskDeclared));
  const names = new Set(declared.map(({ name }) => name));
  // Tasks that belong to no store are known once they have run.
  const free = Object.keys(dispatched).filter((name) => !names.has(name));
  const tasks: ModelTask[] = [...declared, ...free.map((name) => ({ name, when: [], atStart: false }))];
  return {
    stores: stores.map(storeDeclared),
    selectors: selectorsOf(stores, live),
    tasks,
    dispatched: Object.fromEntries(Object.entries(dispatched).map(([name, types]) => [name, [...types]])),
  };
}

/** Those that stores declare, and all of which a value is kept, with what they have read. */
function selectorsOf(stores: readonly StoreDefinition[], live: readonly LiveSource[]): ModelSelector[] {
  const found = new Map<string, { reads: Set<string>; takesArguments: boolean }>();
  const at = (name: string): { reads: Set<string>; takesArguments: boolean } => {
    let one = found.get(name);
    if (!one) found.set(name, (one = { reads: new Set(), takesArguments: false }));
    return one;
  };
  for (const store of stores)
    for (const { name, derive } of store.derivations.values()) {
      const one = at(name);
      one.reads.add(store.name);
      one.takesArguments = derive.length > 1;
    }
  const looked = new Map<string, number>();
  for (const { kind, name, args, dependencies } of live) {
    if (kind !== 'selector' || isStatusStore(name)) continue;
    const one = at(name);
    one.takesArguments ||= args.length > 0;
    const count = looked.get(name) ?? 0;
    looked.set(name, count + 1);
    if (count >= MOST_ALIKE) continue;
    for (const dependency of dependencies())
      one.reads.add(withoutStatus(dependency.kind === 'place' ? dependency.store : dependency.source.name));
  }
  return Array.from(found, ([name, { reads, takesArguments }]) => ({ name, reads: [...reads], takesArguments }));
}

/** The types of the actions that the runs of each task dispatched. */
function dispatchedBy({ source, index }: Known): Record<string, Set<string>> {
  const types: Record<string, Set<string>> = {};
  for (const { task } of index.runs.values()) types[task] ??= new Set();
  for (let at = Math.max(index.first, index.end - MOST_STEPS); at < index.end; at++) {
    const step = source.at(at);
    const run = step?.action && step.cause.run !== undefined ? index.runs.get(step.cause.run) : undefined;
    if (run) types[run.task].add(step!.action!.type);
  }
  return types;
}

/** @param changedBy the names of the selectors whose value is another one after some steps */
function modelPath(
  { source, index }: Pick<Known, 'source' | 'index'>,
  number: number,
  changedBy: (seqs: readonly number[]) => Iterable<string>,
): ModelPath {
  const [actions, stores, tasks] = [new Set<string>(), new Set<string>(), new Set<string>()];
  const seqs: number[] = [];
  for (const at of index.stepsOf(number)) {
    const step = source.at(at);
    if (!step || seqs.length >= MOST_OF_MOMENT) break;
    seqs.push(step.seq);
    if (step.action) actions.add(step.action.type);
    for (const store of step.stores) (isStatusStore(store) ? tasks : stores).add(withoutStatus(store));
    const task = step.run?.task ?? (step.cause.run === undefined ? undefined : index.runs.get(step.cause.run)?.task);
    if (task !== undefined) tasks.add(task);
  }
  return { actions: [...actions], stores: [...stores], selectors: [...new Set(changedBy(seqs))], tasks: [...tasks] };
}

/** What is asked of the model: what belongs together, and what of it took part in a moment. */
export function modelHandlers({
  host,
  source,
  history,
  observing,
}: {
  readonly host: Extensible;
  readonly source: TraceSource;
  readonly history: HistoryEnd;
  readonly observing: Observing;
}): Pick<RequestHandlers, 'model' | 'modelPath'> {
  const { index } = history;
  const changedBy = (seqs: readonly number[]): string[] =>
    Array.from(observing.changedBy(seqs), (reader) => readerOf(reader)?.name ?? []).flat();
  return {
    model: async () => {
      await history.ready();
      return liveModel({ host, source, index }, observing.live());
    },
    modelPath: async ({ number }) => {
      await history.ready();
      return modelPath({ source, index }, number, changedBy);
    },
  };
}
