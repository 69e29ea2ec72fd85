// The asking end: what it shows while much happens, and what the user chose meanwhile.
import { expect, test } from '@jest/globals';
import { Session } from '../../src/inspector/interface/session.js';
import { channelPair, linkRuntime, type LinkMessage } from '../../src/inspector/ends/index.js';
import { openPort } from './port.js';
import { until } from '../support/eventually.js';

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

function open() {
  const port = openPort();
  const [ours, theirs] = channelPair();
  const end = linkRuntime(port.runtime, theirs, { name: 'Skerrow Harbour' });
  return { ...port, session: new Session(ours, 'Skerrow Harbour'), end };
}

test('the chosen moment stays while new steps arrive', async () => {
  const { runtime, noted, session, end } = open();
  for (let i = 0; i < 20; i++) runtime.dispatch(noted(`note ${i}`));
  await until(() => session.moment?.last === runtime.trace.steps.at(-1)!.seq);
  const chosen = runtime.trace.steps[5].seq;
  for (let round = 0; round < 30; round++) {
    runtime.dispatch(noted(`more ${round}`));
    if (round === 10) void session.lookAtStep(chosen);
    await wait(round % 5);
  }
  await until(() => session.moment?.first === chosen);
  await wait(200);
  expect([session.isFollowing, session.chosenSeq, session.moment?.first]).toEqual([false, chosen, chosen]);
  await session.follow();
  await until(() => session.moment?.last === runtime.trace.steps.at(-1)!.seq);
  expect([session.isFollowing, session.chosenSeq]).toEqual([true, undefined]);
  end();
});

/** Responses about some moments arrive when the test says so. */
function openHeld(isHeld: (params: unknown) => boolean) {
  const { runtime, noted } = openPort();
  for (let i = 0; i < 20; i++) runtime.dispatch(noted(`note ${i}`));
  const [ours, theirs] = channelPair();
  const end = linkRuntime(runtime, theirs, { name: 'Skerrow Harbour' });
  const asked = new Set<number>();
  const held: LinkMessage[] = [];
  const holding = { isOn: false };
  let deliver: (message: LinkMessage) => void = () => undefined;
  const session = new Session(
    {
      send(message) {
        if ('method' in message && 'id' in message && message.method === 'moment' && isHeld(message.params))
          asked.add(message.id);
        ours.send(message);
      },
      listen(listener) {
        deliver = listener;
        return ours.listen((message) => {
          if (holding.isOn && !('method' in message) && asked.has(message.id!)) held.push(message);
          else listener(message);
        });
      },
    },
    'Skerrow Harbour',
  );
  /** One after the other. */
  const release = async (): Promise<void> => {
    for (const message of held.splice(0)) {
      deliver(message);
      await wait(5);
    }
  };
  return { runtime, noted, session, held, holding, release, end };
}

test('a response that was asked for before the user chose does not take the choice away', async () => {
  const { runtime, noted, session, held, holding, release, end } = openHeld(isNewest);
  await until(() => session.moment?.last === runtime.trace.steps.at(-1)!.seq);
  holding.isOn = true;
  runtime.dispatch(noted('more'));
  await until(() => held.length > 0);
  const chosen = runtime.trace.steps[5].seq;
  await session.lookAtStep(chosen);
  await release();
  await wait(20);
  expect([session.isFollowing, session.chosenSeq, session.moment?.first]).toEqual([false, chosen, chosen]);
  end();
});

test('a look at the moment before, asked for while the choice is on its way, does not take the choice away', async () => {
  const { runtime, session, held, holding, release, end } = openHeld(() => true);
  await until(() => session.moment !== undefined);
  const [before, chosen] = [runtime.trace.steps[3].seq, runtime.trace.steps[5].seq];
  await session.lookAtStep(before);
  holding.isOn = true;
  void session.lookAtStep(chosen);
  session.refresh();
  await until(() => held.length > 1);
  holding.isOn = false;
  await release();
  await until(() => session.moment?.first === chosen);
  await wait(20);
  expect([session.chosenSeq, session.moment?.first]).toEqual([chosen, chosen]);
  end();
});
const isNewest = (params: unknown): boolean => (params as { newest?: boolean }).newest === true;

test('the inspector shows the last of many places that are chosen quickly', async () => {
  const { runtime, noted, session, end } = open();
  for (let i = 0; i < 200; i++) runtime.dispatch(noted(`note ${i}`));
  await until(() => session.moment !== undefined);
  const { steps } = runtime.trace;
  for (const step of steps.slice(10, 150)) void session.lookAtStep(step.seq);
  await session.lookAtStep(steps[42].seq);
  await until(() => session.moment?.first === steps[42].seq);
  expect(session.chosenSeq).toBe(steps[42].seq);
  end();
});

test('a burst is shown soon after its end, and in few pictures', async () => {
  const { runtime, noted, session, end } = open();
  await until(() => session.moment !== undefined);
  let pictures = 0;
  const began = performance.now();
  session.addEventListener('change', () => pictures++);
  for (let i = 0; i < 40; i++) {
    for (let n = 0; n < 25; n++) runtime.dispatch(noted(`note ${i} ${n}`));
    await wait(1);
  }
  await until(() => session.moment?.last === runtime.trace.steps.at(-1)!.seq);
  // At most one each 80 ms, and each is drawn in a few parts.
  expect(pictures).toBeLessThan(20 + ((performance.now() - began) / 80) * 6);
  end();
});

test('the session reports a request that fails, and continues', async () => {
  const { session, runtime, noted, end } = open();
  await until(() => session.moment !== undefined);
  expect(await session.send('log.noted', 'not JSON')).toBe(false);
  expect(session.notice).toMatchObject({ kind: 'problem', text: expect.stringContaining('The payload is not JSON') });
  expect(await session.send('log.noted', '"by hand"')).toBe(true);
  runtime.dispatch(noted('after'));
  await until(() => session.status?.lastSeq === runtime.trace.steps.at(-1)!.seq);
  end();
  session.end('The inspector was closed.');
});
