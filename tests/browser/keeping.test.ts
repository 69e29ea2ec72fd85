// What the harbour keeps between sessions, in a real browser: reload, close, a full storage, a blocked one, two tabs.
import { expect, test } from '@jest/globals';
import type { Runtime } from 'floe';
import type { Persistence } from 'floe/persist';
import type { Trace } from 'floe/trace';
import type { Page } from 'playwright-core';
import { eventually } from '../support/eventually.js';
import { harbourPage } from '../support/harbour-page.js';
import { inLongMode } from '../support/in-long-mode.js';

/** What the page exposes on the console. */
declare const harbour: Runtime & { readonly persistence: Persistence; readonly trace: Trace };

const { newContext, open } = harbourPage();
const note = (page: Page) => page.getByLabel('Log note for the next watch');
const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name, exact: true });
const kept = (page: Page): Promise<Record<string, string>> =>
  page.evaluate(() => Object.fromEntries(Object.entries(localStorage)) as Record<string, string>);

test('the note, the filter and the day outlive the page, also one that is closed at once', async () => {
  const context = await newContext();
  const page = await open('/', context);
  await page.locator('label', { hasText: /^Expected/ }).click();
  await note(page).fill('Shore power on N2 is out');
  // Not written yet: changes are gathered. Closing the page writes them.
  await page.close({ runBeforeUnload: true });
  const next = await open('/', context);
  expect(await note(next).inputValue()).toBe('Shore power on N2 is out');
  expect(
    await next
      .getByRole('radio', { name: /expected/i })
      .first()
      .isChecked(),
  ).toBe(true);
});

inLongMode('a page shows what is stored; forget clears it and leaves the page, reset does the opposite', async () => {
  const page = await open();
  await note(page).fill('Crane 2 under repair');
  await button(page, 'Kept here').click();
  const card = page.getByRole('region', { name: 'Stored for log' });
  await card.getByText('Crane 2 under repair').waitFor();
  await card.getByRole('button', { name: 'Forget' }).click();
  await card.waitFor({ state: 'detached' });
  expect([await note(page).inputValue(), Object.keys(await kept(page)).some((key) => key.endsWith(':log'))]).toEqual([
    'Crane 2 under repair',
    false,
  ]);
  await page.keyboard.press('Escape');
  await note(page).fill('Crane 3 under repair');
  await button(page, 'Kept here').click();
  await card.getByText('Crane 3 under repair').waitFor();
  await card.getByRole('button', { name: 'Reset' }).click();
  await page.waitForFunction(() => document.querySelector('textarea')?.value === '');
  expect((await kept(page))['harbour:log']).toContain('Crane 3');
  await button(page, 'Forget and reset all').click();
  await page.getByText('Nothing is stored yet.').waitFor();
});

inLongMode('what the office could not be told is kept over a reload, and sent when it can be', async () => {
  const context = await newContext();
  const page = await open('/', context);
  await page.locator('tr.row').first().click();
  await context.route('**/office/vessels/**', (route) => route.abort());
  await button(page, 'Rename').click();
  await page.getByLabel('Name of the vessel').fill('Grey Heron');
  await page.keyboard.press('Enter');
  await button(page, 'Kept here, 1 unsent').waitFor();
  await page.reload();
  await button(page, 'Kept here, 1 unsent').waitFor();
  await context.unroute('**/office/vessels/**');
  await button(page, 'Kept here').waitFor({ timeout: 20_000 });
  await page.getByText('Grey Heron').first().waitFor();
});

inLongMode(
  'a full storage is said, keeps the last good copy, and takes the next change when there is room',
  async () => {
    const page = await open();
    await note(page).fill('before');
    await page.waitForFunction(() => localStorage.getItem('harbour:log')?.includes('before'));
    await page.evaluate(() => {
      for (let size = 1 << 22; size >= 1; size >>= 1) {
        try {
          for (let i = 0; ; i++) localStorage.setItem(`filler-${size}-${i}`, 'x'.repeat(size));
        } catch {
          // Full at this size.
        }
      }
    });
    await note(page).fill('this does not fit any more, whatever is tried');
    await button(page, 'Kept here').click();
    await page.getByText('FLOE_STORAGE_FAILED').waitFor();
    expect((await kept(page))['harbour:log']).toContain('before');
    await page.keyboard.press('Escape');
    await page.evaluate(() =>
      Object.keys(localStorage).forEach((key) => key.startsWith('filler') && localStorage.removeItem(key)),
    );
    await note(page).fill('there is room again');
    await page.waitForFunction(() => localStorage.getItem('harbour:log')?.includes('there is room again'));
  },
);

inLongMode('where the browser forbids storage the page works from memory, and says so', async () => {
  const context = await newContext();
  await context.addInitScript(() => {
    Object.defineProperty(window, 'localStorage', {
      get() {
        throw new DOMException('denied', 'SecurityError');
      },
    });
  });
  const page = await open('/', context);
  await note(page).fill('not for long');
  await button(page, 'Kept here').click();
  await page.getByText('FLOE_STORAGE_BLOCKED').waitFor();
  expect(await note(page).inputValue()).toBe('not for long');
});

test('the tabs of one browser are in step; one writes, and when it is closed another goes on', async () => {
  const context = await newContext();
  const tabs = [await open('/', context), await open('/', context), await open('/', context)];
  const roles = (pages: readonly Page[]): Promise<string[]> =>
    Promise.all(pages.map((page) => page.evaluate(() => harbour.persistence.tab)));
  const sorted = async (pages: readonly Page[]): Promise<string[]> => (await roles(pages)).sort();
  const settled = ['following', 'following', 'leading'];
  expect(await eventually(() => sorted(tabs), settled)).toEqual(settled);
  await tabs[1].locator('label', { hasText: /^Expected/ }).click();
  await note(tabs[2]).fill('Shore power on N2 is out');
  for (const page of tabs) {
    await page.waitForFunction(() => document.querySelector('textarea')?.value === 'Shore power on N2 is out');
    await page.waitForFunction(() => document.querySelector<HTMLInputElement>('input[value=expected]')?.checked);
  }
  // All at once, in whatever order it happens to come.
  for (const page of tabs) await page.route('**/office/vessels/**', (route) => route.abort());
  const rename = (page: Page, tab: number): Promise<void> =>
    page.evaluate(async (number) => {
      for (let i = 0; i < 15; i++) {
        harbour.dispatch({ type: 'unsent.renamingKept', payload: { hull: `T${number}-${i}`, name: 'Auk' } });
        if (i % 7 === number) await new Promise((resolve) => setTimeout(resolve, 3));
      }
    }, tab);
  await Promise.all(tabs.map(rename));
  const queue = (page: Page): Promise<{ renamings: object[] }> =>
    page.evaluate(() => (harbour.snapshot() as { unsent: { renamings: object[] } }).unsent);
  expect(await eventually(async () => (await queue(tabs[0])).renamings.length, 45)).toBe(45);
  const all = await queue(tabs[0]);
  for (const page of tabs) expect(await eventually(() => queue(page), all)).toEqual(all);
  const causes = await tabs[0].evaluate(() => harbour.trace.steps.map(({ cause }) => `${cause.by} ${cause.action}`));
  expect(causes).toContain('tab unsent.renamingKept');
  // The one that writes goes, in the middle of it.
  const leads = (await roles(tabs)).indexOf('leading');
  const others = tabs.filter((_page, i) => i !== leads);
  await note(others[0]).fill('the last word');
  await tabs[leads].close({ runBeforeUnload: true });
  expect(await eventually(() => sorted(others), ['following', 'leading'])).toEqual(['following', 'leading']);
  await others[1].waitForFunction(() => localStorage.getItem('harbour:log')?.includes('the last word'));
  // It takes over what is to be done once, and a day that one tab shows is loaded in both.
  for (const page of others) await page.unroute('**/office/vessels/**');
  const rest = async (): Promise<number> => (await queue(others[0])).renamings.length;
  expect(await eventually(rest, 0, 30_000)).toBe(0);
  await others[0].evaluate(() => harbour.dispatch({ type: 'visits.dayPicked', payload: '2031-03-03' }));
  const known = (page: Page): Promise<unknown> =>
    page.evaluate(() => (harbour.snapshot() as { visits: { known: string } }).visits.known);
  for (const page of others) expect(await eventually(() => known(page), '2031-03-03')).toBe('2031-03-03');
  expect(await others[0].evaluate(() => harbour.persistence.problems.map(({ code }) => code))).toEqual([]);
});

inLongMode('without the Web Locks API the tabs choose one of them by messages', async () => {
  const context = await newContext();
  await context.addInitScript(() => Object.defineProperty(navigator, 'locks', { value: undefined }));
  const tabs = [await open('/', context), await open('/', context)];
  const roles = (): Promise<string[]> => Promise.all(tabs.map((page) => page.evaluate(() => harbour.persistence.tab)));
  expect(await eventually(roles, ['leading', 'following'])).toEqual(['leading', 'following']);
  await note(tabs[1]).fill('Fog at the north mole');
  await tabs[0].waitForFunction(() => document.querySelector('textarea')?.value === 'Fog at the north mole');
  await tabs[0].close({ runBeforeUnload: true });
  tabs.shift();
  expect(await eventually(roles, ['leading'])).toEqual(['leading']);
});
