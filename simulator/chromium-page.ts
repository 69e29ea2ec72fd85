// One tab of a real browser: a session of the simulated application, driven from outside by the same operations.
import { ACTIONS } from './acts/actions.js';
import { NOTHING, type Act } from './acts/act.js';
import type { Blueprint } from './application.js';
import { library } from './library.js';
import { text, type Plain } from './model/plain.js';
import type { Operation } from './program.js';
import { Session } from './session.js';

/** The notes that a session shows, and its kept states as one text. */
const shownBy = ({
  app,
  blueprint,
  runtime,
}: Session): { readonly text: string; readonly notes: readonly string[] } => {
  for (const { store } of app.stores) runtime.add(store);
  const kept = app.stores.flatMap(({ name, kind }, i): Plain[] => {
    const { kept: how } = blueprint.stores[i];
    const { last, picked, ...state } = runtime.snapshot()[name] as Plain;
    if (how === 'nothing') return [];
    return [how === 'all' && kind !== 'port' ? { ...state, last, picked } : state];
  });
  const notes = kept.flatMap(({ log = [], list = [] }) => [...log, ...list.map(({ id }: Plain) => id)]);
  return { text: text(kept), notes };
};

let session: Session;
let depth = 0;
let notes = 0;

/** What the operations need of a player. */
const player = {
  note: (): string => `${name}n${++notes}`,
  inside(one: Session, fn: () => void): void {
    depth++;
    one.isInside = true;
    try {
      fn();
    } finally {
      depth--;
      one.isInside = depth > 0;
    }
  },
  perform(operation: Operation): void {
    const act = (ACTIONS as Readonly<Record<string, Act>>)[operation.do];
    const isInside = depth > 0;
    if (!act || (isInside && act.outside !== undefined) || (act.removes && session.blueprint.gentle)) return;
    try {
      void act.perform(player as never, session, operation);
    } catch (error) {
      if (isInside && operation.b % 2 === 0) throw error;
    }
  },
  undone: (one: Session, what: 'undo' | 'redo'): string => one.undo?.[what]().became ?? NOTHING,
};

export const simulated = {
  async begin(blueprint: Blueprint): Promise<void> {
    const { writeAfter, place } = blueprint;
    const tabs = library.sharedTabs();
    const world = {
      storageFor: () =>
        place === 'area'
          ? library.webStorage('local', { prefix: 'simulated', writeAfter, tabs })
          : library.indexedDbStorage({ name: 'simulated', writeAfter, tabs }),
      clock: { for: () => ({ now: () => Date.now(), after: (ms: number, fn: () => void) => after(ms, fn) }) },
      random: Math.random,
    };
    session = new Session(library, world as never, blueprint, 0, { version: 2, traced: true });
    await session.runtime.ready;
  },
  perform: (operation: Operation): void => player.perform(operation),
  /** The notes that were acknowledged. */
  async flush(): Promise<readonly string[]> {
    const { notes: before } = shownBy(session);
    const open = new Set(session.open.map(({ action }) => (action as Plain).payload?.note));
    return (await session.persistence!.flush()) ? before.filter((note) => !open.has(note)) : [];
  },
  /** Nothing is pending from now on. Returns whether everything is stored. */
  async rest(): Promise<boolean> {
    for (const { optimistic } of session.handles) optimistic.revert();
    for (const run of session.runs) run.cancel();
    shownBy(session);
    await session.runtime.ready;
    return session.persistence!.flush();
  },
  shown: () => shownBy(session),
  problems: (): readonly string[] => session.problems.map(({ code }) => code),
};
export type Simulated = typeof simulated;

function after(ms: number, fn: () => void): () => void {
  if (ms === Infinity) return () => undefined;
  const timer = setTimeout(fn, Math.min(ms, 2 ** 31 - 1));
  return () => clearTimeout(timer);
}

const name = location.hash.slice(1);
Object.assign(globalThis, { simulated });
