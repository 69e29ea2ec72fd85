import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { spawn, type ChildProcess } from 'node:child_process';
import { demoProgram } from '../support/command.js';
import { eventually } from '../support/eventually.js';
import { inspector } from '../support/inspector-page.js';
import { launch } from '../support/page.js';
import { inLongMode } from '../support/in-long-mode.js';

let demo: ChildProcess;
let address: string;
let browser: Browser;

beforeAll(async () => {
  demo = spawn(process.execPath, [demoProgram, '--port', '0'], { stdio: ['ignore', 'pipe', 'inherit'] });
  address = await new Promise((resolve) =>
    demo.stdout!.once('data', (data: Buffer) => resolve(data.toString().trim())),
  );
  browser = await launch();
});
afterAll(async () => {
  await browser?.close();
  demo?.kill();
});

/** A fresh page of the control room; fails the test when the page complains. */
async function open(search = ''): Promise<{ page: Page; complaints: string[] }> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const complaints: string[] = [];
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error' && !message.text().includes('503') && !message.text().includes('409'))
      complaints.push(message.text());
  });
  await page.goto(`${address}/${search}`);
  return { page, complaints };
}

/** Waits for a value on the page: an answer of the inspector and a rendering come a moment after the click. */
const shows = async <T>(look: () => Promise<T>, expected: T) => expect(await eventually(look, expected)).toBe(expected);
const rows = (page: Page) => page.locator('tr.row');
const note = (page: Page) => page.getByLabel('Log note for the next watch');
const picked = (page: Page) => page.locator('tr.row-picked').count();
const isShowing = (page: Page, filter: RegExp) => page.getByRole('radio', { name: filter }).isChecked();
/** Goes back to the nearest earlier step that changed state, as `harbour.trace` on the console does. */
const back = (page: Page) =>
  page.evaluate(() => (globalThis as unknown as { harbour: { trace: { back(): void } } }).harbour.trace.back());
const past = (page: Page) => inspector(page).getByText(/^The page shows step \d+, an earlier one\./);
const button = (page: Page, name: string) => page.getByRole('button', { name, exact: true });
const pickFilter = (page: Page, name: string) => page.getByText(new RegExp(`^${name} \\d+$`)).click();

test('a shift in the built example: plan, filter, pick a day, write a note, reload, travel in time', async () => {
  const { page, complaints } = await open();
  await rows(page).first().waitFor();
  const all = await rows(page).count();
  expect(all).toBeGreaterThan(30);

  await button(page, 'Plan a visit').click();
  await page.getByRole('combobox', { name: 'Vessel' }).or(page.getByLabel('Vessel').first()).click();
  await page.getByRole('option', { name: /Far Lodestar/ }).click();
  await page
    .getByRole('combobox', { name: 'Berth' })
    .or(page.getByLabel('Berth', { exact: true }).first())
    .click();
  await page.getByRole('option', { name: /^N2/ }).click();
  await button(page, 'Plan the visit').click();
  await page.getByRole('dialog').waitFor({ state: 'hidden' });
  await shows(() => rows(page).count(), all + 1);
  // Both panels read the same state: the planned visit is picked in the list, and told about beside it.
  expect(await page.locator('tr.row-picked').textContent()).toContain('Far Lodestar');
  expect(await page.getByRole('region', { name: 'Picked visit and log' }).getByRole('heading').textContent()).toBe(
    'Far Lodestar',
  );

  await pickFilter(page, 'Expected');
  await shows(() => page.locator('tr.row:not(:has-text("expected"))').count(), 0);
  const expected = await rows(page).count();
  expect(expected).toBeLessThan(all);
  await shows(() => isShowing(page, /Expected/), true);

  await page.getByLabel('Day', { exact: true }).click();
  await page.getByRole('button', { name: /^3 March 2031$/ }).click();
  await page
    .getByText(/Tue|Mon/)
    .first()
    .waitFor();
  await page.waitForFunction((before) => document.querySelectorAll('tr.row').length !== before, expected);
  const nextDay = await rows(page).count();

  await note(page).fill('Shore power at N1 is out until noon.');
  await page.reload();
  await rows(page).first().waitFor();
  await shows(() => note(page).inputValue(), 'Shore power at N1 is out until noon.');
  await shows(() => isShowing(page, /Expected/), true);
  expect(await page.getByLabel('Day', { exact: true }).textContent()).toContain('3 Mar 2031');
  await shows(() => rows(page).count(), nextDay);

  await rows(page).first().click();
  await pickFilter(page, 'All');
  await note(page).fill('Power is back.');
  await inspector(page)
    .getByText(/^Your input in “Log note/)
    .first()
    .waitFor();
  await back(page);
  await shows(() => note(page).inputValue(), 'Shore power at N1 is out until noon.');
  await back(page);
  await shows(() => isShowing(page, /Expected/), true);
  await shows(() => rows(page).count(), nextDay);
  await back(page);
  await shows(() => picked(page), 0);
  await past(page).waitFor();
  await inspector(page).getByRole('button', { name: 'Live', exact: true }).click();
  await shows(() => note(page).inputValue(), 'Power is back.');
  await shows(() => picked(page), 1);
  await past(page).waitFor({ state: 'hidden' });
  expect(complaints).toEqual([]);
});

inLongMode('a visit moves on in phase; a taken berth is refused and nothing changes', async () => {
  const { page, complaints } = await open();
  await rows(page).first().waitFor();
  await pickFilter(page, 'Alongside');
  const alongside = await rows(page).count();
  await rows(page).first().getByRole('button', { name: 'Let depart' }).click();
  await page.waitForFunction((before) => document.querySelectorAll('tr.row').length === before - 1, alongside);
  await pickFilter(page, 'Expected');
  const taken = await page.locator('.berth-taken .berth-id').first().textContent();
  const row = page.locator(`tr.row:has(.place-cell:text-is("${taken!}"))`).first();
  await row.getByRole('button', { name: 'Bring alongside' }).click();
  await row
    .getByRole('alert')
    .getByText(/is taken/)
    .waitFor();
  expect(await row.textContent()).toContain('expected');
  expect(complaints).toEqual([]);
});

inLongMode('a vessel renamed once has its new name everywhere, and back in the past the old one', async () => {
  const { page, complaints } = await open();
  await rows(page).first().waitFor();
  await page.locator('.berth-taken').first().click();
  const picked = page.getByRole('region', { name: 'Picked visit and log' });
  const old = (await picked.getByRole('heading').textContent())!;
  const room = page.locator('#root');
  const shown = () => room.getByText(old, { exact: true }).count();
  const before = await shown();
  expect(before).toBeGreaterThan(2);
  await button(page, 'Rename').click();
  await page.getByLabel('Name of the vessel').fill(' ');
  await button(page, 'Save').click();
  await picked.getByText('A vessel needs a name.').waitFor();
  await page.getByLabel('Name of the vessel').fill('Marigold');
  await page.keyboard.press('Enter');
  await picked.getByRole('heading', { name: 'Marigold' }).waitFor();
  expect(await room.getByText('Marigold', { exact: true }).count()).toBe(before);
  await shows(shown, 0);
  // The end of the run, then the answer of the office.
  await back(page);
  await back(page);
  await shows(shown, before);
  expect(complaints.filter((text) => !text.includes('400'))).toEqual([]);
});

test('a berth is assigned at once; the office confirms it or refuses it a second later', async () => {
  const { page, complaints } = await open();
  await rows(page).first().waitFor();
  await pickFilter(page, 'Expected');
  const place = () => page.locator('tr.row-picked .place-cell').textContent();
  await rows(page).last().click();
  const before = (await place())!;
  const choices = await page.getByLabel('Assign a berth').locator('option').allTextContents();
  const assign = (berth: string) => page.getByLabel('Assign a berth').selectOption(berth);
  let confirmed = 0;
  let refused = 0;
  let now = before;
  for (const berth of choices.map((text) => text.split(',')[0]).filter((one) => one !== before)) {
    await assign(berth);
    await shows(place, berth);
    const notice = page.getByRole('alert', { name: 'Notice' });
    await notice.getByText(new RegExp(`${berth}( was not assigned)?\\.`)).waitFor();
    if ((await notice.textContent())!.includes('confirms')) {
      confirmed++;
      now = berth;
    } else refused++;
    await shows(place, now);
    if (confirmed > 0 && refused > 0) break;
  }
  expect(Math.min(confirmed, refused)).toBe(1);
  // The day at the berth is drawn: the visit stands there now, and its bar picks it.
  const vessel = (await page.locator('tr.row-picked .vessel').textContent())!;
  const lane = page.getByRole('img', { name: new RegExp(`^${now}: .*${vessel}, `) });
  await rows(page).first().click();
  await lane.locator(`.bar[title^="${vessel}, "]`).last().click();
  await page.locator('tr.row-picked', { hasText: vessel }).waitFor();
  await page.getByRole('button', { name: 'Dismiss the notice' }).click();
  await page.getByRole('alert', { name: 'Notice' }).waitFor({ state: 'hidden' });
  expect(complaints).toEqual([]);
});

inLongMode(
  'cancelling a visit asks first; positions arrive and do not bury the history; ending the shift clears all',
  async () => {
    const { page, complaints } = await open();
    await rows(page).first().waitFor();
    await pickFilter(page, 'Expected');
    await shows(() => isShowing(page, /Expected/), true);
    await rows(page).first().click();
    const expected = await rows(page).count();
    const cancel = button(page, 'Cancel visit');
    await cancel.click();
    await page.getByRole('dialog').getByText('Cancel this visit?').waitFor();
    await page.keyboard.press('Escape');
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
    expect(await rows(page).count()).toBe(expected);
    await cancel.click();
    await button(page, 'Yes').click();
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
    await shows(() => rows(page).count(), expected - 1);
    await page.getByText(/^tell the office of the cancelled visit, run \d+$/).waitFor();
    expect(await page.getByText(/nautical miles from the harbour mouth/).count()).toBe(1);
    await page.locator('floe-time .coalesced').first().waitFor();
    expect(await page.getByText(/positions\.(ask|arrived)/).count()).toBe(0);
    await note(page).fill('Fog.');
    await button(page, 'End shift').click();
    await shows(() => note(page).inputValue(), '');
    await shows(() => picked(page), 0);
    await shows(() => isShowing(page, /All/), true);
    expect(complaints).toEqual([]);
  },
);

inLongMode('loading shows placeholders, a closed office a way to try again', async () => {
  const slow = await open('?delay=1500');
  expect(await slow.page.locator('.mantine-Skeleton-root').count()).toBeGreaterThan(20);
  expect(await slow.page.getByRole('heading', { name: 'Skerrow Harbour' }).isVisible()).toBe(true);
  const failing = await open('?fail=503');
  await failing.page.getByText('The visits could not be loaded').waitFor();
  expect(await button(failing.page, 'Try again').isVisible()).toBe(true);
});
