// The React binding in Chromium, with React's own guards and a development and a production build.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { bundledPage, launch, openPage } from '../support/page.js';
import type { Scenarios } from './pages/react-page.js';

describe.each(['development', 'production'] as const)('useSelection in a %s build', (mode) => {
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    const [code, opened] = await Promise.all([bundledPage('tests/browser/pages/react-page.tsx', mode), launch()]);
    browser = opened;
    page = await openPage(browser, code);
  });
  afterAll(() => browser?.close());

  const run = <K extends keyof Scenarios>(
    name: K,
    ...args: Parameters<Scenarios[K]>
  ): Promise<Awaited<ReturnType<Scenarios[K]>>> =>
    page.evaluate(
      ([what, given]) =>
        (globalThis as unknown as { scenarios: Record<string, (...args: unknown[]) => unknown> }).scenarios[what](
          ...given,
        ),
      [name as string, args as unknown[]] as const,
    ) as Promise<Awaited<ReturnType<Scenarios[K]>>>;

  test.each([150, 200, 3000])('%i selections that give fresh arrays render once and run once', async (n) => {
    const { mount, after, shown, problems, wrongs } = await run('inlineSelections', n, false);
    expect({ mount, problems, wrongs }).toEqual({ mount: { renders: n, runs: n }, problems: 0, wrongs: [] });
    expect([after, shown]).toEqual([{ renders: 1, last: '3' }, 0]);
  });

  test('the same under StrictMode, which renders and subscribes twice by itself', async () => {
    const { mount, after, problems, wrongs } = await run('inlineSelections', 300, true);
    expect({ renders: mount.renders, problems, wrongs }).toEqual({
      renders: mode === 'development' ? 600 : 300,
      problems: 0,
      wrongs: [],
    });
    expect(after.last).toBe('3');
  });

  test('a thousand selectors with arguments run once, though a hundred are kept, and so do those that they read', async () => {
    expect(await run('namedSelections', 1000)).toEqual({
      mount: { renders: 1000, runs: 1000, inner: 1000 },
      after: 1,
      problems: 0,
      wrongs: [],
    });
  });

  test('a selector that begins to throw reaches the error boundary; that of a removed row is not reported', async () => {
    const { afterRemoval, caught, problems } = await run('throwing');
    expect(afterRemoval).toEqual({ text: 'Visit 0Visit 0', problems: [] });
    expect([caught, problems]).toEqual(['the first visit is bad', 0]);
  });

  test("React's guard ends a layout effect that dispatches without end, and what it dispatched is committed", async () => {
    const { rounds, text, isCommitted, works } = await run('endless');
    expect(rounds).toBeLessThan(100);
    expect(text).toMatch(/Maximum update depth|185/);
    expect([isCommitted, works]).toEqual([true, 'applied']);
  });

  test.each([
    ['local', '7v0 v1ready'],
    ['dispatch', '2v0 v1ready'],
    ['indexed', '1v0 v1ready'],
  ] as const)('a page hydrates what the server rendered, then shows what differs (%s)', async (kind, shown) => {
    expect(await run('hydrating', kind)).toEqual({ html: '1v0 v1ready', shown, kept: true, wrongs: [] });
  });

  test('what is no source is an error that says what to write', async () => {
    const messages = await run('notSources');
    for (const message of Object.values(messages)) expect(message).toMatch(/^FLOE_NOT_A_SOURCE/);
    if (mode === 'development')
      expect(messages).toMatchObject({
        undefined: expect.stringContaining('an import may still be undefined'),
        text: expect.stringContaining("the text 'visits'"),
        counted: expect.stringContaining("The action creator 'visits.counted'"),
        byId: expect.stringContaining("The selector 'visits.byId' needs its arguments"),
        load: expect.stringContaining('task.status'),
      });
    expect(Object.keys(messages)).toHaveLength(6);
  });

  test('a selection follows what its component closes over', async () => {
    expect(await run('closures')).toEqual({ seen: ['Visit 0', 'Visit 1', 'Second'], renders: 3, wrongs: [] });
  });
});
