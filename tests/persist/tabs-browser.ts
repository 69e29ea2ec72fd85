// A browser with some tabs, for the tests of what tabs share.
import { createRuntime, store, task, type Optimistic, type Problem, type TaskContext } from 'floe';
import { sharedTabs, storageIn, type StorageArea } from 'floe/persist';
import { recording } from 'floe/trace';
import { simulatedClock, SimulatedTabs } from '../../simulator/world/tabs.js';

export const declare = () => {
  const watch = store('watch', {
    count: 0,
    log: [] as string[],
    berths: [] as { id: number; moves: number }[],
    at: new Date(0),
    draft: '',
  }).persisted({ except: ['draft'] });
  const counted = watch.action('counted', (draft) => {
    draft.count++;
  });
  const noted = watch.action('noted', (draft, text: string) => {
    draft.log.push(text);
  });
  const drafted = watch.action('drafted', (draft, text: string) => {
    draft.draft = text;
  });
  /** What it does depends on a part that each tab has for itself. */
  const posted = watch.action('posted', (draft) => {
    if (draft.draft !== '') draft.log.push(draft.draft);
    draft.draft = '';
  });
  const berthed = watch.action('berthed', (draft, id: number) => {
    draft.berths = [...draft.berths.filter((one) => one.id !== id), { id, moves: 0 }];
    draft.at = new Date(id);
  });
  const left = watch.action('left', (draft, id: number) => {
    draft.berths = draft.berths.filter((one) => one.id !== id);
  });
  /** Another tab may have removed it meanwhile. */
  const moved = watch.action('moved', (draft, id: number) => {
    const berth = draft.berths.find((one) => one.id === id);
    if (!berth) throw new Error(`berth ${id} is empty`);
    berth.moves++;
  });
  const flags = store('flags', {} as Record<string, number>).persisted();
  const hoisted = flags.action('hoisted', (draft, name: string) => {
    draft[name] = (draft[name] ?? 0) + 1;
  });
  const lowered = flags.action('lowered', (draft, name: string) => {
    delete draft[name];
  });
  flags.when(counted, (draft) => {
    draft.counts = (draft.counts ?? 0) + 1;
  });
  /** Of each tab alone. */
  const own = store('own', { counts: 0 });
  own.when(counted, (draft) => {
    draft.counts++;
  });
  let context: TaskContext | undefined;
  const atWork = task('atWork', (given) => {
    context = given;
    return new Promise<void>(() => undefined);
  });
  return {
    ...{ watch, counted, noted, drafted, posted, berthed, left, moved, flags, hoisted, lowered, own, atWork },
    context: () => context!,
  };
};

/** Lets everything run that waits for nothing else. */
export const quiet = async (): Promise<void> => {
  for (let i = 0; i < 8; i++) await Promise.resolve();
};

/** A browser with some tabs on one storage. */
export function browser({ later = false, wild = false } = {}) {
  const net = new SimulatedTabs(wild);
  const texts = new Map<string, string>();
  const writers = new Set<string>();
  const everyone: { readonly id: number; readonly runOut: (most: number) => boolean }[] = [];
  let [count, now] = [0, 0];
  const open = () => {
    const id = count++;
    const declared = declare();
    const problems: string[] = [];
    const { clock, runOut } = simulatedClock(() => ++now);
    const given = <T>(value: T): T => (later ? (Promise.resolve(value) as T) : value);
    const write = (change: () => unknown): void => {
      writers.add(tab.runtime.persistence.tab);
      change();
      return given(undefined);
    };
    const area: StorageArea = {
      read: (key) => given(texts.get(key)),
      write: (key, text) => write(() => texts.set(key, text)),
      remove: (key) => write(() => texts.delete(key)),
      keys: () => given([...texts.keys()]),
    };
    const runtime = createRuntime({
      stores: [declared.watch, declared.flags, declared.own],
      storage: storageIn(() => area, { writeAfter: Infinity, tabs: sharedTabs(() => net.link(id)) }),
      trace: recording(),
      clock,
      onProblem: ({ error }: Problem) => problems.push((error as { code?: string }).code ?? String(error)),
    });
    void runtime.run(declared.atWork());
    const optimistic: Optimistic[] = [];
    const tab = { id, runtime, problems, optimistic, runOut, ...declared, noted: declared.noted };
    everyone.push(tab);
    return tab;
  };
  type Tab = ReturnType<typeof open>;
  const shared = ({ runtime, watch, flags }: Tab) => {
    const { draft: _own, ...kept } = runtime.read(watch);
    return { ...kept, flags: runtime.read(flags) };
  };
  /** Delivers everything until no message is left. */
  const settle = async (): Promise<void> => {
    // Some of what a tab does takes many turns of the queue of microtasks.
    for (let rounds = 0, idle = 0; idle < 5; rounds++) {
      if (rounds > 5000) throw new Error('the tabs never come to rest');
      await quiet();
      let busy = net.grant();
      const there = everyone.filter(({ id }) => net.has(id));
      for (const { id } of there) busy = net.deliver(id, 0) || busy;
      if (!busy && idle === 4) for (const { runOut } of there) busy = runOut(500) || busy;
      idle = busy ? 0 : idle + 1;
    }
  };
  return { net, texts, writers, open, shared, settle };
}
export type Tab = ReturnType<ReturnType<typeof browser>['open']>;

/** Where all of them store. */
export const memory = (texts: Map<string, string>): StorageArea => ({
  read: (key) => texts.get(key),
  write: (key, text) => void texts.set(key, text),
  remove: (key) => void texts.delete(key),
  keys: () => [...texts.keys()],
});
