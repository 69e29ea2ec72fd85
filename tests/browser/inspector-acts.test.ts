// What a developer sees and does next, in the inspector of a small application.
import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import type { Browser, Locator, Page } from 'playwright-core';
import { bundledPage, launch, openPage } from '../support/page.js';
import { button, inspector, says, sentence, violations } from '../support/inspector-page.js';

interface Small {
  readonly act: { note(text: string): void; fail(): void };
  readonly scenarios: { open(): void; decisions: { done(): void; refuse(why: string): void }[] };
  readonly runtime: { snapshot(): { log: { note: string; shifts: number } }; trace: { steps: object[] } };
}

let browser: Browser;
let code: string;
let page: Page;
beforeAll(async () => {
  [browser, code] = await Promise.all([launch(), bundledPage('tests/browser/pages/small-port.ts', 'development')]);
});
beforeEach(async () => {
  page = await openPage(browser, code);
  page.setDefaultTimeout(5000);
  await page.evaluate(() => (globalThis as unknown as Small).scenarios.open());
  await inspector(page).locator('.say').waitFor();
});
afterAll(() => browser.close());

const row = (text: string | RegExp): Locator => inspector(page).locator('floe-tree .row', { hasText: text });
const refuse = (why: string): Promise<void> =>
  page.evaluate((why) => (globalThis as unknown as Small).scenarios.decisions.shift()!.refuse(why), why);

test('live means now: the sentence stays with the click, the state is the newest, and what came since is one click away', async () => {
  await page.locator('#note').fill('Fog');
  await page.locator('#quiet').click();
  await says(page, /^Your click on “Quiet” dispatched nothing$/);
  await button(inspector(page), 'State').click();
  await page.evaluate(() => {
    const { act } = globalThis as unknown as Small;
    for (let i = 0; i < 5000; i++) act.note(`note ${i}`);
    act.fail();
  });
  await button(inspector(page), /^5,001 newer from the application$/).waitFor();
  expect(await sentence(page).textContent()).toMatch(/^Your click on “Quiet”/);
  await row('log').first().click();
  await row('note 4999').waitFor();
  await button(inspector(page), '1 failed').click();
  await says(page, /failing, which failed/);
  expect(await button(inspector(page), 'Forward: the moment after').isDisabled()).toBe(true);
  await button(inspector(page), 'Back: the moment before').click();
  await says(page, /^The application dispatched log.noted$/);
  await button(inspector(page), 'Live').click();
  await says(page, /^Your click on “Quiet”/);
});

test('quick clicks after typing are told as clicks; typing is one entry, and an opener is no accusation', async () => {
  await page.locator('#note').pressSequentially('Fog at noon');
  await page.locator('#assign').click();
  await says(page, /^Your click on “Assign” ran/);
  await button(inspector(page), 'Back: the moment before').click();
  await says(page, /^Your input in “Note” dispatched log.noted$/);
  await button(inspector(page), 'Back: the moment before').click();
  await says(page, /^The application took in visit v1 and v2$/);
  await button(inspector(page), 'Live').click();
  await page.locator('#open').click();
  await says(page, /^Your click on “Assign” ran/);
});

test('a value is set in the tree; what is no JSON, or breaks a rule, is refused with its text kept', async () => {
  await button(inspector(page), 'State').click();
  await row('log').first().click();
  await row(/^\s*note/).hover();
  await row(/^\s*note/)
    .getByRole('button', { name: 'set' })
    .click();
  const form = inspector(page).getByRole('form', { name: 'Set /log/note' });
  for (const [text, why] of [
    ['Fog', 'is not JSON'],
    ['"A note that is far too long for this small log"', 'short'],
  ]) {
    await form.getByRole('textbox').fill(text);
    await button(form, 'Set').click();
    await inspector(page).getByRole('alert').getByText(why).waitFor();
    expect(await form.getByRole('textbox').inputValue()).toBe(text);
  }
  await form.getByRole('textbox').fill('"Fog."');
  await button(form, 'Set').click();
  await says(page, /^You, in this inspector, set log · note to Fog\.$/);
  expect(await page.evaluate(() => (globalThis as unknown as Small).runtime.snapshot().log.note)).toBe('Fog.');
});

test('pinned values stay in sight in every part and in the past, with their last change', async () => {
  await button(inspector(page), 'State').click();
  await row('log').first().click();
  await row(/^\s*note/).hover();
  await row(/^\s*note/)
    .getByRole('button', { name: 'pin' })
    .click();
  const pins = inspector(page).getByRole('list', { name: 'Pinned' });
  await page.locator('#note').fill('Fog');
  await page.locator('#note').blur();
  await pins.locator('.value.after', { hasText: 'Fog' }).waitFor();
  await button(inspector(page), 'Tasks').click();
  expect(await pins.textContent()).toMatch(/log · note.*→.*Fog/s);
  await button(inspector(page), 'Back: the moment before').click();
  await pins.locator('.value', { hasText: '(empty text)' }).waitFor();
  await button(pins, 'Unpin log · note').click();
  await pins.waitFor({ state: 'hidden' });
});

test('tasks: what runs, what it waits for, who asked; it is cancelled, fails, and runs again', async () => {
  await page.locator('#assign').click();
  await button(inspector(page), 'Tasks').click();
  const runs = inspector(page).locator('floe-tasks .task-run');
  await runs.first().getByText('waits for office').waitFor();
  expect(await runs.first().textContent()).toMatch(/port.assign.*v2, N2.*Your click on “Assign”/s);
  await button(runs.first(), 'Cancel').click();
  await runs.first().getByText('cancelled in the inspector').first().waitFor();
  await button(runs.first(), 'Run again').click();
  await runs.first().getByText('under way').waitFor();
  await page.evaluate(() => (globalThis as unknown as Small).scenarios.decisions.shift());
  await refuse('N2 is dredged');
  await runs.first().getByText('N2 is dredged').first().waitFor();
  // What failed is what is offered: the run, not the action in it.
  await says(page, /^You, in this inspector, ran/);
  await button(inspector(page), 'Run again').first().waitFor();
  expect(await button(inspector(page), 'Send again…').count()).toBe(0);
  expect(await violations(page)).toEqual([]);
  // What it cost stands in the figures; nothing is kept here, and that is said.
  await button(inspector(page), 'Figures').click();
  await inspector(page).locator('floe-figures tr', { hasText: 'port.assign' }).first().waitFor();
  expect(await violations(page)).toEqual([]);
  await button(inspector(page), 'Stored').click();
  await inspector(page).getByText('This runtime keeps nothing').waitFor();
  expect(await violations(page)).toEqual([]);
});

test('a find leads to the place in the state, and goes on while more comes', async () => {
  await button(inspector(page), 'Find').click();
  await inspector(page).getByLabel('Find a step, a value, a store, a cause').fill('note');
  await page.evaluate(() => {
    for (let i = 0; i < 100; i++) (globalThis as unknown as Small).act.note(`note ${i}`);
  });
  await inspector(page).locator('.found .entry').first().getByText('101').waitFor();
  await page.evaluate(() => (globalThis as unknown as Small).act.note('note of the last watch'));
  await inspector(page).locator('.found .entry').first().getByText('102').waitFor();
  await inspector(page).getByLabel('Find a step, a value, a store, a cause').fill('corran');
  await inspector(page).locator('.found[aria-busy=false] .entry').first().click();
  await inspector(page).locator('.row.hit', { hasText: 'Corran Bell' }).waitFor();
  await button(inspector(page), 'Back to what was found').click();
  await inspector(page).locator('.found .entry').first().waitFor();
});

test('keys: one opens it, all are listed, parts and what is open answer to them', async () => {
  await page.locator('#note').focus();
  await page.keyboard.press('F2');
  expect(await inspector(page).locator('button.unfold').count()).toBe(0);
  await page.locator('#quiet').focus();
  await page.keyboard.press('F2');
  await inspector(page).locator('button.unfold').waitFor();
  await page.keyboard.press('F2');
  await inspector(page).locator('.say').waitFor();
  await page.keyboard.press('?');
  await inspector(page).getByRole('dialog', { name: 'Keys' }).getByText('F2').waitFor();
  expect(await violations(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await inspector(page).getByRole('dialog', { name: 'Keys' }).waitFor({ state: 'hidden' });
  await page.keyboard.press('/');
  await page.keyboard.type('v1');
  expect(await inspector(page).getByLabel('Find a step, a value, a store, a cause').inputValue()).toBe('v1');
  await page.keyboard.press('Escape');
  await inspector(page).locator('floe-find').waitFor({ state: 'hidden' });
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await inspector(page).locator('floe-derived').waitFor();
});

test('a history is played: the page follows, idle stretches are short, and acting in the page stops it', async () => {
  for (const text of ['Fog', 'Rain', 'Clear']) {
    await page.locator('#note').fill(text);
    await page.locator('#quiet').click();
    await says(page, /^Your click on “Quiet” dispatched nothing$/);
  }
  const note = (): Promise<string> => page.evaluate(() => (globalThis as unknown as Small).runtime.snapshot().log.note);
  await button(inspector(page), 'Play').click();
  await page.waitForFunction(() => (globalThis as unknown as Small).runtime.snapshot().log.note === '');
  await page.waitForFunction(() => (globalThis as unknown as Small).runtime.snapshot().log.note === 'Rain');
  await page.waitForFunction(() => (globalThis as unknown as Small).runtime.snapshot().log.note === 'Clear');
  await button(inspector(page), 'Play').waitFor();
  // Acting begins a branch, and ends the play.
  await button(inspector(page), 'Play').click();
  await page.waitForFunction(() => (globalThis as unknown as Small).runtime.snapshot().log.note === '');
  await page.locator('#quiet').click();
  await page.evaluate(() => (globalThis as unknown as Small).act.note('Another way'));
  await button(inspector(page), 'Play').waitFor();
  expect(await note()).toBe('Another way');
});

test('a test is taken from the last interactions, or from two clicks in the line of time, and shown before it is saved', async () => {
  for (const text of ['Fog', 'Rain']) {
    await page.locator('#note').fill(text);
    await page.locator('#quiet').click();
    await says(page, /^Your click on “Quiet” dispatched nothing$/);
  }
  const form = inspector(page).getByRole('form', { name: 'Write a test' });
  const open = async (): Promise<void> => {
    await button(inspector(page), 'More').click();
    await inspector(page).getByRole('menuitem', { name: 'Write a test…' }).click();
  };
  await open();
  await form.getByLabel('The last interactions of the user').fill('1');
  await form.getByText('Of step 3 to step 3.').waitFor();
  await form.getByLabel('The last interactions of the user').fill('2');
  await form.getByText('Of step 2 to step 3.').waitFor();
  await button(form, 'Write').click();
  const written = inspector(page).getByRole('form', { name: 'A test' });
  expect(await written.locator('pre').textContent()).toMatch(/from '\.\.\/src\/model\.js'.*Fog.*Rain/s);
  await button(written, 'Close').click();
  await open();
  await button(form, 'or choose the steps in the line of time').click();
  const marks = inspector(page).locator('floe-time .mark');
  for (const at of [await marks.first().boundingBox(), await marks.last().boundingBox()])
    await page.mouse.click(at!.x + at!.width / 2, at!.y + at!.height / 2);
  await form.getByText(/^Of step 0 to step [23]\.$/).waitFor();
});

test('the model is a picture: the moment lights up its path, and a part leads to its values, its runs and its steps', async () => {
  await page.locator('#assign').click();
  await refuse('dredged until noon');
  await says(page, /revert/);
  await button(inspector(page), 'Model').click();
  const part = (name: string): Locator =>
    inspector(page).locator('.model-part', { has: page.locator('.part-name', { hasText: name }) });
  await inspector(page).locator('.model-part.task.lit').waitFor();
  expect(await inspector(page).locator('.part-row.lit').allTextContents()).toEqual([
    expect.stringContaining('berthAssigned'),
  ]);
  // There is little room: only the path is drawn, until the whole is asked for.
  expect(await part('log').count()).toBe(0);
  await inspector(page).getByLabel('Only what the moment touches').uncheck();
  await part('log').waitFor();
  expect(await violations(page)).toEqual([]);
  // With the keyboard.
  await button(part('port').first(), 'berthAssigned').focus();
  await page.keyboard.press('Enter');
  const detail = inspector(page).getByRole('group', { name: 'action port.berthAssigned' });
  await detail.getByText('port.assign dispatches it').waitFor();
  await button(detail, 'Its steps').click();
  await inspector(page).locator('.found .entry').first().waitFor();
  await button(inspector(page), 'Model').click();
  await part('port.assign').first().getByRole('button').click();
  await button(inspector(page), 'Its runs').click();
  await inspector(page).locator('.task-run.failed').waitFor();
  await button(inspector(page), 'Model').click();
  await part('port')
    .filter({ has: page.locator('.part-row') })
    .locator('.part-name')
    .click();
  await button(inspector(page), 'Its values').click();
  await inspector(page).locator('floe-tree .row.hit', { hasText: 'port' }).waitFor();
  await button(inspector(page), 'Back to the model').click();
  await inspector(page).locator('floe-model').waitFor();
  expect(await violations(page)).toEqual([]);
});
