// What the harbour keeps between sessions, in a real browser: reload, close, a full storage, a blocked one, two tabs.
import { expect, test } from '@jest/globals';
import type { Page } from 'playwright-core';
import { harbourPage } from '../support/harbour-page.js';

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

test('a page shows what is stored; forget clears it and leaves the page, reset does the opposite', async () => {
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

test('what the office could not be told is kept over a reload, and sent when it can be', async () => {
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

test('a full storage is said, keeps the last good copy, and takes the next change when there is room', async () => {
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
});

test('where the browser forbids storage the page works from memory, and says so', async () => {
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

test('two tabs: what only one of them changed is kept of both; where both did, nothing is lost unsaid', async () => {
  const context = await newContext();
  const [one, two] = [await open('/', context), await open('/', context)];
  const stored = (name: string, text: string): Promise<unknown> =>
    one.waitForFunction(([key, part]) => localStorage.getItem(`harbour:${key}`)?.includes(part), [name, text] as const);
  await one.locator('label', { hasText: /^Expected/ }).click();
  await stored('visits', '"filter":"expected"');
  await two.evaluate(() =>
    (globalThis as unknown as { harbour: { dispatch(action: object): void } }).harbour.dispatch({
      type: 'visits.dayPicked',
      payload: '2031-03-03',
    }),
  );
  await stored('visits', '"day":"2031-03-03","filter":"expected"');
  await two.waitForFunction(() => document.querySelector<HTMLInputElement>('input[value=expected]')?.checked);
  await note(one).fill('by the first');
  await stored('log', 'by the first');
  await note(two).fill('by the second');
  await stored('log', 'by the second');
  await button(two, 'Kept here').click();
  await two.getByText('FLOE_STORED_ELSEWHERE').first().waitFor();
  await two.getByText('by the first').first().waitFor();
});
