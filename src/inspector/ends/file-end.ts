// The inspected end of a recording.
import { NO_PAGE, NO_STORAGE, NO_TASKS, NOT_OBSERVED } from '../protocol/errors.js';
import { HistoryEnd } from './history-end.js';
import { LINK_VERSION, type Ability, type Channel } from '../protocol/protocol.js';
import { answer } from '../protocol/rpc.js';
import { paced } from '../protocol/slices.js';
import type { RecordedHistory } from './recorded-history.js';

/** What is missing where there is only a recording. */
const MISSING: Readonly<Partial<Record<Ability, string>>> = {
  travel: NO_PAGE,
  exclude:
    'Leaving a step out computes the others without it, which needs the model: floe inspect TRACE --model MODULE.',
  send: 'Sending an action needs the model: floe inspect TRACE --model MODULE.',
  derived: 'Derived values need the model: floe inspect TRACE --model MODULE.',
  observe: NOT_OBSERVED,
  run: NO_TASKS,
  stored: NO_STORAGE,
  model: 'The picture of the model needs the model: floe inspect TRACE --model MODULE.',
  edit: 'Setting a value needs the model: floe inspect TRACE --model MODULE.',
};

/** Lets an inspector at the other end of a channel look into a recording. Returns a function that ends it. */
export function linkRecording(
  recorded: RecordedHistory,
  channel: Channel,
  {
    name,
    kind = 'file',
    can = [],
  }: { readonly name: string; readonly kind?: 'live' | 'file'; readonly can?: readonly Ability[] },
): () => void {
  const changed = paced(() => link.notify('changed', history.status()));
  const missing = Object.fromEntries(Object.entries(MISSING).filter(([ability]) => !can.includes(ability as Ability)));
  const hello = () => ({ name, kind, can, missing, redacted: recorded.source.redacted, actions: [] });
  const history = new HistoryEnd(
    recorded.source,
    {
      shown: () => ({
        cursor: recorded.source.at(recorded.source.end - 1)?.seq ?? null,
        isLive: true,
        isPaused: false,
        isClosed: false,
      }),
      isLive: kind === 'live',
      observedOf: () => null,
      reading: () => ({ reading: recorded.reading, problem: recorded.problem }),
      stateReady: (position) => recorded.states.ready(position),
      near: () => (recorded.reading === null ? undefined : recorded.states.near),
    },
    changed.call,
  );
  const link = answer(channel, { ...history.handlers(), hello: () => ({ version: LINK_VERSION, ...hello() }) });
  return () => {
    link.end();
    changed.end();
    history.end();
  };
}
