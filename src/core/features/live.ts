// What an inspector sees of the derived values of one runtime: those that are kept, what they depend on, who uses them, and
// what is computed and notified while it observes. Applications that are not inspected ship none of this.
import { CLEAN, Facet, type Port } from '../reactive/graph.js';
import { pointerTo } from '../data/plain.js';
import { observe, type Probe } from '../reactive/probe.js';
import { Entry } from '../reading/entry.js';
import { INLINE } from '../model/source.js';
import { StoreDefinition } from '../model/store.js';
import { TrackedPlace } from '../reactive/tracking.js';
import { taskNamed } from '../kernel/about.js';
import type { Extensible, Feature } from '../kernel/feature.js';
import type { TaskDefinition } from './tasks/definition.js';
import type { Tasks } from './tasks/feature.js';
import type { TaskRun } from './tasks/run.js';

/** Something that a derived value depends on. */
export type Dependency =
  | { readonly kind: 'source'; readonly source: LiveSource }
  | {
      readonly kind: 'place';
      readonly store: string;
      /** JSON Pointer (RFC 6901) into the state of the store. */
      readonly pointer: string;
      /** What was looked at there: the value, its keys, how many rows it has, whether it is there, or what kind it is of. */
      readonly aspect: 'value' | 'keys' | 'size' | 'presence' | 'kind';
    };

/** A store or a selector with its arguments, of which a value is kept. */
export interface LiveSource {
  /** The same object as long as it is kept: what a `Probe` gets. */
  readonly reader: object;
  readonly kind: 'store' | 'selector';
  /** The full name, without arguments. */
  readonly name: string;
  readonly args: readonly unknown[];
  /** `stale`: what it depends on may have changed since; it is computed when it is read. */
  readonly status: 'current' | 'stale' | 'failed';
  /** The last value, or what the derivation threw. */
  readonly value: unknown;
  readonly dependencies: () => readonly Dependency[];
  /** How many derived values depend on it. */
  readonly readers: number;
  readonly watchers: number;
}

/** A run that is under way. */
export interface UnderWay {
  readonly id: number;
  /** What it waits for: a time, an action, a run that it called, or else what it used from outside. */
  readonly waitsFor: readonly string[];
  cancel(reason: string): void;
}

/** The runs that are under way. */
export const runsUnderWay = (kernel: Extensible): readonly UnderWay[] =>
  runsIn(kernel).map((run) => ({ id: run.id, waitsFor: waitsOf(run), cancel: (reason) => run.cancel(reason) }));

/** The runs themselves, those that wait for their turn among them. */
export const runsIn = ({ features }: Extensible): readonly TaskRun[] =>
  Array.from(features, (hooks) => [...((hooks as Partial<Tasks>).runs?.tasks.underWay() ?? [])]).flat();

function waitsOf({ waits, children = new Set(), used = new Set() }: TaskRun): readonly string[] {
  const waited = [...(waits?.pending ?? [])].flatMap(({ what }) => what || []);
  const called = [...children].flatMap((child) => (child as Partial<TaskRun>).task?.name ?? []);
  return waited.length + called.length > 0 ? [...waited, ...called] : [...used];
}

/** Runs a task by its name, for a developer. Gives whether there is such a task. */
export function runNamed(kernel: Extensible, name: string, args: readonly unknown[]): boolean {
  const task = taskNamed(kernel, name);
  if (!task) return false;
  const tasks = kernel.features.use(task.feature as Feature) as Tasks;
  tasks.mayRun(name);
  kernel.features.leavePast();
  // Its failure is recorded; no caller awaits it.
  kernel.notifications.call(() => tasks.runs.start({ task: task as TaskDefinition, args }, { by: 'inspector' }));
  return true;
}

/** All stores and selectors of which a value is kept, as they are shown. */
export const liveSources = ({ views }: Extensible): readonly LiveSource[] =>
  Array.from(views.current.reading.entries(), liveSource);

function liveSource(entry: Entry): LiveSource {
  const { of, args } = entry.recipe;
  return {
    ...{ reader: entry, kind: of instanceof StoreDefinition ? 'store' : 'selector', name: of.name, args },
    ...known(entry),
    ...{ readers: count(entry), watchers: watchersOf(entry) },
    dependencies: () => dependencies(entry).map(dependency),
  };
}

/** The value of the last run, without a new one. */
function known({ state, value, problem }: Entry): Pick<LiveSource, 'status' | 'value'> {
  if (state !== CLEAN) return { status: 'stale', value: problem?.error ?? value };
  return problem ? { status: 'failed', value: problem.error } : { status: 'current', value };
}

/** What it read in its last run, in that order. */
const dependencies = ({ first, rest }: Entry): readonly Port[] =>
  first === undefined ? [] : [first, ...(rest?.ports ?? [])];

const count = ({ one, more }: Port): number => (one === undefined ? 0 : 1 + (more?.size ?? 0));

/** The components that follow it too: only their way of being notified is another one. */
function watchersOf({ firstWatcher, followers }: Entry): number {
  let all = followers?.size ?? 0;
  for (let one = firstWatcher; one; one = one.next) all++;
  return all;
}

/** Where it stands: the name of the store, and the keys from there. */
const wayTo = ({ above, key }: TrackedPlace): readonly string[] => (above ? [...wayTo(above), key] : [key]);

/** What a reader of one of its ports has looked at. */
function aspectOf(
  { keys, size, presence, kind }: TrackedPlace,
  port: Port,
): 'value' | 'keys' | 'size' | 'presence' | 'kind' {
  if (port === keys) return 'keys';
  if (port === size) return 'size';
  if (port === presence) return 'presence';
  return port === kind ? 'kind' : 'value';
}

function dependency(port: Port): Dependency {
  if (port instanceof Entry) return { kind: 'source', source: liveSource(port) };
  const place = port instanceof Facet ? port.of : port;
  if (!(place instanceof TrackedPlace)) throw new TypeError('a selector reads sources and places only');
  const [store, ...keys] = wayTo(place);
  return { kind: 'place', store, pointer: pointerTo(keys), aspect: aspectOf(place, port) };
}

/** What a probe gets, by name and arguments; nothing for an inline selection. */
export const readerOf = (reader: object): Pick<LiveSource, 'name' | 'args'> | undefined =>
  reader instanceof Entry && reader.recipe.of !== INLINE
    ? { name: reader.recipe.of.name, args: reader.recipe.args }
    : undefined;

/** Whether watchers are notified of what a probe gets: it is on the screen, perhaps. */
export const isWatched = (reader: object): boolean => reader instanceof Entry && watchersOf(reader) > 0;

/** Has a probe told of the derived values and watchers of one runtime. Returns a function that ends it. */
export function observeIn(host: Extensible, probe: Probe): () => void {
  const isOwn = (reader: object): boolean => reader instanceof Entry && reader.reading.ground === host.views.ground;
  return observe({
    computed: (reader, computation) => {
      if (isOwn(reader)) probe.computed(reader, computation);
    },
    notified: (reader) => {
      if (isOwn(reader)) probe.notified(reader);
    },
  });
}
