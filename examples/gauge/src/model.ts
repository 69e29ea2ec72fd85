// What the gauge measures and what the officer notes: kept in the browser, sent to the office as soon as there is a line.
import { need, selector, store, task } from 'floe';

export interface Reading {
  /** Epoch milliseconds. */
  readonly at: number;
  /** Metres above chart datum. */
  readonly level: number;
}
export interface Remark {
  readonly at: number;
  readonly text: string;
}
export interface Office {
  /** @throws where it cannot be reached */
  send(readings: readonly Reading[], remarks: readonly Remark[]): Promise<void>;
}
export const office = need<Office>('office');

/** How many readings are kept when they have been sent. */
const KEPT = 120;

export const gauge = store('gauge', {
  readings: [] as Reading[],
  remarks: [] as Remark[],
  /** All that is older than this is with the office. */
  sentUntil: 0,
  isCut: false,
}).persisted();

export const measured = gauge.action('measured', (draft, reading: Reading) => {
  draft.readings.push(reading);
  const isSpare = draft.readings.length > KEPT && draft.readings[0].at <= draft.sentUntil;
  if (isSpare) draft.readings.shift();
});
export const remarked = gauge.action('remarked', (draft, remark: Remark) => {
  draft.remarks.unshift(remark);
});
export const sent = gauge.action('sent', (draft, until: number) => {
  draft.sentUntil = until;
});
export const lineCut = gauge.action('lineCut', (draft, isCut: boolean) => {
  draft.isCut = isCut;
});
export const stores = [gauge];

export const level = gauge.selector('level', ({ readings }) => readings.at(-1)?.level);
export const latest = gauge.selector('latest', ({ readings }) => readings.slice(-KEPT));
export const unsent = gauge.selector('unsent', ({ readings, remarks, sentUntil }) => ({
  readings: readings.filter(({ at }) => at > sentUntil),
  remarks: remarks.filter(({ at }) => at > sentUntil),
}));
export const isUnsent = gauge.selector('isUnsent', ({ sentUntil }, at: number) => at > sentUntil);

/** What the page says of all that. */
export const stateText = selector('stateText', (read) => {
  const { readings, remarks } = read(unsent);
  // One or two are always on their way.
  if (readings.length <= 3 && remarks.length === 0) return 'The office has everything.';
  const notes = remarks.length === 0 ? '' : ` and ${remarks.length} ${remarks.length === 1 ? 'remark' : 'remarks'}`;
  return `Kept here, not sent: ${readings.length} readings${notes}.`;
});

/** Reads the gauge every second. Runs in the one tab that writes, for all of them. */
export const measure = task(gauge, 'measure', async ({ dispatch, now, random, sleep }) => {
  for (;;) {
    const swell = 0.08 * Math.sin(now() / 2000) + 0.03 * random();
    dispatch(measured({ at: now(), level: 2.6 + 1.4 * Math.sin(now() / 60_000) + swell }));
    await sleep(1000);
  }
});

/** Sends what is not sent, and tries again for as long as it takes. */
export const send = task(gauge, 'send', async ({ dispatch, now, read, sleep, use }) => {
  const server = use(office);
  for (;;) {
    const { readings, remarks } = read(unsent);
    const until = now();
    try {
      if (readings.length + remarks.length > 0) {
        await server.send(readings, remarks);
        dispatch(sent(until));
      }
    } catch {
      // The page says what waits.
    }
    await sleep(2000);
  }
});
