// The page and its inspector do not meet: neither styles, nor keys, nor what stands on top.
import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { bundledPage, launch, openPage } from '../support/page.js';
import { button, inspector, says, violations } from '../support/inspector-page.js';

let browser: Browser;
let code: string;
let page: Page;
beforeAll(async () => {
  [browser, code] = await Promise.all([launch(), bundledPage('tests/browser/pages/hostile.ts', 'development')]);
});
beforeEach(async () => {
  page = await openPage(browser, code);
  await page.evaluate(() => (globalThis as unknown as { scenarios: { open(): void } }).scenarios.open());
  await inspector(page).locator('.say').waitFor();
});
afterAll(() => browser.close());

const received = (): Promise<string[]> =>
  page.evaluate(() => (globalThis as unknown as { scenarios: { received: string[] } }).scenarios.received.splice(0));

test('no style of the page moves or changes it, in any window', async () => {
  for (const [width, height] of [
    [1280, 800],
    [300, 500],
    [2560, 1200],
  ] as const) {
    await page.setViewportSize({ width, height });
    const box = (await page.locator('iframe[title=Inspector]').boundingBox())!;
    expect([box.x, box.width, box.y + box.height]).toEqual([0, width, height]);
    expect(box.height).toBe(Math.min(320, Math.round(height * 0.8)));
    expect(
      await inspector(page)
        .locator('.sentence')
        .evaluate((one) => getComputedStyle(one).fontSize),
    ).toBe('14px');
    expect(
      await inspector(page)
        .locator('.sentence')
        .evaluate((one) => getComputedStyle(one).direction),
    ).toBe('ltr');
  }
  // A window that becomes small leaves room for the page.
  await page.setViewportSize({ width: 800, height: 300 });
  expect((await page.locator('iframe[title=Inspector]').boundingBox())!.height).toBe(240);
  expect(await violations(page)).toEqual([]);
});

test('keys of the inspector do not reach the page, and a page that swallows keys does not deafen it', async () => {
  await button(inspector(page), 'Find').click();
  await inspector(page).getByLabel('Find a step, a value, a store, a cause').fill('');
  await received();
  await inspector(page).getByLabel('Find a step, a value, a store, a cause').pressSequentially('initial');
  await inspector(page).locator('.found[aria-busy=false] .entry').first().waitFor();
  expect(await inspector(page).getByLabel('Find a step, a value, a store, a cause').inputValue()).toBe('initial');
  await page.keyboard.press('Escape');
  expect(await received()).toEqual([]);
});

test('beside a modal dialog it is usable, and it stays when the dialog goes', async () => {
  await page.locator('#note').dispatchEvent('click');
  await page.evaluate(() => (globalThis as unknown as { dialog: HTMLDialogElement }).dialog.showModal());
  await button(inspector(page), 'State').click();
  await inspector(page).locator('floe-tree .row', { hasText: 'log' }).first().waitFor();
  await inspector(page).locator('floe-tree .row', { hasText: 'log' }).first().click();
  await page.evaluate(() => (globalThis as unknown as { dialog: HTMLDialogElement }).dialog.close());
  await inspector(page).locator('floe-tree .row', { hasText: 'by the user' }).waitFor();
  await page.evaluate(() => (globalThis as unknown as { dialog: HTMLDialogElement }).dialog.showModal());
  await page.evaluate(() => (globalThis as unknown as { dialog: HTMLDialogElement }).dialog.remove());
  await button(inspector(page), 'Derived').click();
  await inspector(page).getByText('No selector was read yet.').waitFor();
});

test('two runtimes of a page share one inspector; each has its own moments', async () => {
  expect(await page.locator('iframe').count()).toBe(1);
  const tabs = inspector(page).getByRole('group', { name: 'Sessions' });
  await page.locator('#note').click({ force: true });
  await says(page, /^Your click on “Note” dispatched log.noted$/);
  await button(tabs, 'The tides').click();
  await says(page, /^The runtime began$/);
  await page.locator('#tide').click({ force: true });
  await says(page, /^Your click on “Raise” dispatched tides.raised$/);
  await page.evaluate(() => (globalThis as unknown as { second: { close(): void } }).second.close());
  await says(page, /^Your click on “Note” dispatched log.noted$/);
  expect(await tabs.count()).toBe(0);
  await page.evaluate(() => (globalThis as unknown as { first: { close(): void } }).first.close());
  expect(await page.locator('iframe').count()).toBe(0);
  // Closing once more closes nothing that is shown since.
  await page.evaluate(() => (globalThis as unknown as { again(): void }).again());
  await page.evaluate(() => (globalThis as unknown as { first: { close(): void } }).first.close());
  await inspector(page).locator('.say').waitFor();
});
