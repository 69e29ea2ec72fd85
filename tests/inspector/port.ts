// What the suites of the link share: a port with visits, a runtime that records it, and both kinds of ends that show it.
import { createRuntime, need, store, type RuntimeOptions, task } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { recording, type RecordingOptions } from 'floe/trace';
import {
  Asking,
  channelPair,
  linkRecording,
  linkRuntime,
  RecordedHistory,
  type LinkMessage,
  type Status,
} from '../../src/inspector/ends/index.js';

interface Berth {
  id: string;
  depth: number;
}
interface Visit {
  id: string;
  vessel: string;
  berth: string;
}

export const office = need<{ assign(id: string, berth: string): Promise<void> }>('office');

/** The port, declared for one test: what that test declares beside it must not handle actions in another. */
export function declarePort() {
  const berth = entity('berth', rowOf<Berth>(), { key: 'id' });
  const visit = entity('visit', rowOf<Visit>(), { key: 'id', links: { berth } });
  const port = tables('port', [berth, visit]);
  const berthAssigned = port.action(
    'berthAssigned',
    (draft, { id, berth: key }: { id: string; berth: string }) => {
      const row = draft.visit.get(id);
      if (row) row.berth = key;
    },
    {
      about: {
        title: ({ id, berth: key }, before) => `gave ${before(port).visit.get(id)?.vessel ?? id} berth ${key}`,
        confirmed: 'the office confirmed it',
        reverted: 'the office refused it',
      },
    },
  );
  const log = store('log', { notes: [] as string[], open: true, key: '' }).persisted({ only: ['notes'] });
  const noted = log.action('noted', (draft, note: string) => {
    draft.notes.push(note);
  });
  const shut = log.action('shut', (draft) => {
    draft.open = false;
  });
  const failing = log.action('failing', () => {
    throw new Error('the ink is dry');
  });
  const keyed = log.action('keyed', (draft, key: string) => {
    draft.key = key;
  });
  const ticks = store('ticks', { count: 0 });
  const ticked = ticks.action('ticked', (draft) => {
    draft.count++;
  });
  const assignBerth = task(
    port,
    'assignBerth',
    async ({ optimistic, use, run }, id: string, key: string) => {
      const assigned = optimistic(berthAssigned({ id, berth: key }));
      try {
        await use(office).assign(id, key);
        assigned.confirm();
        await run(notify(`${key} is confirmed`));
      } catch (error) {
        assigned.revert();
        throw error;
      }
    },
    { about: { title: 'assign a berth' } },
  );
  const notify = task(log, 'notify', ({ dispatch }, note: string) => {
    dispatch(noted(note));
    return Promise.resolve();
  });
  const notesShown = log.selector('shown', (state) => state.notes.length);
  const stores = [port, log, ticks] as const;
  return {
    berth,
    visit,
    port,
    berthAssigned,
    log,
    noted,
    shut,
    failing,
    keyed,
    ticked,
    assignBerth,
    notesShown,
    stores,
  };
}

export type Port = ReturnType<typeof declarePort>;

/** A runtime of the port with three berths and two visits, and what its office does with a request. */
export function openPort(trace: RecordingOptions = {}, more: Partial<RuntimeOptions> = {}) {
  const model = declarePort();
  const answers: { confirm(): void; refuse(why: string): void }[] = [];
  const given = office.by({
    assign: () =>
      new Promise((resolve, reject) => answers.push({ confirm: resolve, refuse: (why) => reject(new Error(why)) })),
  });
  const runtime = createRuntime({
    ...more,
    stores: model.stores,
    needs: [given],
    trace: recording({ ignore: [model.ticked], ...trace }),
    onProblem: () => undefined,
  });
  runtime.dispatch(
    model.port.ingest(model.berth, [
      { id: 'N1', depth: 7 },
      { id: 'N2', depth: 6 },
      { id: 'W2', depth: 5 },
    ]),
  );
  runtime.dispatch(
    model.port.ingest(model.visit, [
      { id: 'v1', vessel: 'Corran Bell', berth: 'W2' },
      { id: 'v2', vessel: 'Stout Idris', berth: 'N1' },
    ]),
  );
  /** What the user does, around what the page then does. */
  const click = (name: string, act: () => void = () => undefined): void => {
    const end = runtime.trace.noteInteraction({ kind: 'click', name, role: 'button' });
    act();
    end();
  };
  return { ...model, runtime, answers, click };
}

/** The asking end of a link, with all messages that crossed it. */
export function linked(attach: (channel: ReturnType<typeof channelPair>[0]) => () => void) {
  const [ours, theirs] = channelPair();
  const messages: LinkMessage[] = [];
  const notified: Status[] = [];
  theirs.listen((message) => messages.push(message));
  ours.listen((message) => messages.push(message));
  const end = attach(theirs);
  const asking = new Asking(ours, (_method, params) => notified.push(params as Status));
  const ask = asking.ask.bind(asking);
  return { ask, messages, notified, end };
}

export const toRuntime = (runtime: Parameters<typeof linkRuntime>[0]) =>
  linked((channel) => linkRuntime(runtime, channel, { name: 'Skerrow Harbour' }));

export async function toFile(text: string) {
  const history = new RecordedHistory();
  const link = linked((channel) => linkRecording(history, channel, { name: 'shift.jsonl' }));
  await history.read(text);
  return link;
}

/** Lets everything happen that waits for nothing but its turn. */
export const settle = async (): Promise<void> => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};
