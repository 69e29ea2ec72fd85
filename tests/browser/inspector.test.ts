// The inspector docked at the demo, as a developer uses it: moments, time, state.
import { describe, expect, test } from '@jest/globals';
import { until } from '../support/eventually.js';
import { harbourPage } from '../support/harbour-page.js';
import {
  button,
  inspector,
  sentence,
  says,
  violations,
  assign,
  bringAlongside,
  openState,
} from '../support/inspector-page.js';
import { inLongMode } from '../support/in-long-mode.js';

const { open } = harbourPage({ each: true });

describe('the moment', () => {
  test('says what a click led to, grows with its tasks, and is not replaced by what the page does meanwhile', async () => {
    const page = await open();
    await says(page, /^The application/);
    await assign(page);
    await says(page, /^Your choice in “Assign a berth” gave .+ berth \w+; the office (confirmed|refused) it after/);
    await inspector(page).locator('floe-time .coalesced').nth(1).waitFor();
    expect(await sentence(page).textContent()).toMatch(/^Your choice in “Assign a berth” gave/);
    const causes = inspector(page).locator('floe-causes .cause .label');
    expect((await causes.allTextContents()).slice(0, 3)).toEqual([
      'choice in “Assign a berth”',
      expect.stringMatching(/^assign a berth, run \d+$/),
      expect.stringMatching(/^gave .+ berth \w+$/),
    ]);
    await inspector(page)
      .locator('floe-changes')
      .getByRole('button', { name: /visit v\d+ · place/ })
      .waitFor();
  });

  inLongMode('what is typed is noted without what was typed', async () => {
    const page = await open();
    await page.getByLabel('Log note for the next watch').pressSequentially('Fog at noon');
    await says(page, /^Your input in “Log note for the next watch/);
    const interactions = await page.evaluate(() =>
      JSON.stringify(
        (globalThis as unknown as { harbour: { trace: { interactions: unknown } } }).harbour.trace.interactions,
      ),
    );
    expect(interactions).not.toMatch(/Fog|noon|"key"/);
  });

  test('a step of the tree opens to its payload, its changes and what followed', async () => {
    const page = await open();
    await bringAlongside(page);
    await inspector(page).locator('floe-causes button.words', { hasText: 'brought' }).click();
    const detail = inspector(page).locator('floe-causes .detail');
    await detail.getByText('payload').waitFor();
    expect(await detail.textContent()).toMatch(/because of\s*run \d+ of a task/);
    expect(await detail.textContent()).toMatch(/expected\s*→\s*alongside/);
    expect(await detail.textContent()).toMatch(/followed\s*[1-9]\d* computations? of derived values/);
    await inspector(page).locator('floe-changes').getByRole('button', { name: 'JSON Patch' }).click();
    expect(await inspector(page).locator('floe-changes pre').textContent()).toContain('"op": "replace"');
  });
});

describe('time', () => {
  inLongMode('the chosen place moves by keys and by the pointer, and the window zooms', async () => {
    const page = await open();
    await bringAlongside(page);
    const line = inspector(page).getByRole('slider', { name: 'Line of time' });
    await line.focus();
    const at = async (): Promise<number> => Number(await line.getAttribute('aria-valuenow'));
    const newest = await at();
    await page.keyboard.press('ArrowLeft');
    await page.waitForFunction(
      (before) =>
        Number(
          document
            .querySelector('iframe')!
            .contentDocument!.querySelector('floe-inspector')!
            .shadowRoot!.querySelector('[role=slider]')!
            .getAttribute('aria-valuenow'),
        ) < before,
      newest,
    );
    await page.keyboard.press('Home');
    await page.waitForFunction(
      () =>
        document
          .querySelector('iframe')!
          .contentDocument!.querySelector('floe-inspector')!
          .shadowRoot!.querySelector('[role=slider]')!
          .getAttribute('aria-valuenow') === '0',
    );
    await says(page, /^The runtime began$/);
    await page.keyboard.press('End');
    await says(page, /brought .* alongside$/);
    const ticks = (): Promise<string[]> => inspector(page).locator('floe-time text.small').allTextContents();
    const before = await ticks();
    for (let i = 0; i < 4; i++) await page.keyboard.press('+');
    await until(async () => String(await ticks()) !== String(before));
    await page.keyboard.press('0');
    const mark = inspector(page).locator('floe-time .mark').first();
    const box = (await mark.boundingBox())!;
    await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
    await says(page, /^The runtime began$/);
  });

  inLongMode('lanes are chosen', async () => {
    const page = await open();
    await bringAlongside(page);
    await inspector(page)
      .getByRole('button', { name: /^\d+ more$/ })
      .click();
    await inspector(page).getByRole('group', { name: 'Stores with a lane' }).getByLabel('log').check();
    await inspector(page).locator('.lane-name', { hasText: 'log' }).waitFor();
  });

  test('"Show the page here" moves the page, and acting there begins a branch that can be compared, named and left', async () => {
    const page = await open();
    await bringAlongside(page);
    await page.getByText(/^All \d+$/).click();
    await says(page, /showed all visits$/);
    await button(inspector(page), 'Back: the moment before').click();
    await button(inspector(page), 'Back: the moment before').click();
    await says(page, /showed expected visits$/);
    await button(inspector(page), 'More').click();
    await inspector(page).getByRole('menuitem', { name: 'Show the page here' }).click();
    await inspector(page).getByText('Acting in the page now begins a branch there').waitFor();
    await inspector(page)
      .getByText(/^The page shows step \d+, an earlier one\./)
      .waitFor();
    await page.getByLabel('Log note for the next watch').fill('Another way.');
    await inspector(page)
      .getByText(/^The page shows step/)
      .waitFor({ state: 'hidden' });
    await inspector(page).locator('floe-time .branch').waitFor();
    await button(inspector(page), 'Session').click();
    const branches = inspector(page).locator('floe-branches');
    await branches.getByText('branch 1').waitFor();
    await button(branches, 'Compare').click();
    await branches.getByText('log · note').waitFor();
    await branches.getByLabel('Name of the branch branch 1').fill('another way');
    await page.keyboard.press('Enter');
    await branches.getByText('another way', { exact: true }).waitFor();
    await button(branches, 'Switch to it').click();
    await page.waitForFunction(
      () =>
        (document.querySelector('textarea') ?? document.querySelector('input[aria-label^="Log note"]'))?.value !==
        'Another way.',
    );
  });
});

describe('state and derived values', () => {
  test('the state opens at what the moment changed, with the old value beside the new', async () => {
    const page = await open();
    await bringAlongside(page);
    await openState(page);
    const changed = inspector(page).locator('floe-tree .row.replaced').first();
    await changed.waitFor();
    expect(await changed.textContent()).toMatch(/phase.*expected\s*alongside/s);
    // A link of the row leads to the other row; that one shows who links to it.
    const vessel = inspector(page)
      .locator('floe-tree .row', { hasText: 'vessel' })
      .filter({ has: inspector(page).locator('button.link', { hasText: /vessel SK-/ }) });
    await vessel
      .first()
      .locator('button.link', { hasText: /vessel SK-/ })
      .click();
    await inspector(page).locator('.panel-bar code', { hasText: '/port/vessel/SK-' }).waitFor();
    await button(inspector(page), 'All stores').click();
  });

  test('a table is shown as a table: the row that changed first, links lead to rows, rows say who links to them', async () => {
    const page = await open();
    await bringAlongside(page);
    await openState(page);
    await inspector(page)
      .locator('floe-tree .row', { hasText: 'visit' })
      .getByRole('button', { name: 'as a table', includeHidden: true })
      .first()
      .click();
    const table = inspector(page).getByRole('table', { name: 'Rows of /port/visit' });
    const first = table.locator('.table-rows .table-row').first();
    await first.getByText('alongside').waitFor();
    expect(await table.getByRole('columnheader').allTextContents()).toEqual(
      expect.arrayContaining(['key', 'phase', 'vessel']),
    );
    expect(await first.textContent()).toMatch(/expected\s*alongside/);
    expect(await violations(page)).toEqual([]);
    await first.getByRole('button', { name: /^vessel SK-/ }).click();
    await inspector(page).locator('.panel-bar code', { hasText: '/port/vessel/SK-' }).waitFor();
    await inspector(page).locator('floe-tree .row', { hasText: 'hull' }).waitFor();
  });

  inLongMode('only chosen stores are shown, and a click on a value shows its history', async () => {
    const page = await open();
    await bringAlongside(page);
    await openState(page);
    await inspector(page).getByRole('button', { name: 'Stores', exact: true }).click();
    const stores = inspector(page).getByRole('group', { name: 'Stores to show' });
    for (const box of await stores.getByRole('checkbox').all()) await box.uncheck();
    await stores.getByLabel('log', { exact: true }).check();
    const shown = inspector(page).locator('floe-tree [aria-level="1"]');
    await shown.filter({ hasText: 'log' }).first().waitFor();
    await shown.filter({ hasText: 'port' }).first().waitFor({ state: 'hidden' });
    expect(await shown.count()).toBe(1);
    await inspector(page).locator('floe-tree .row', { hasText: 'log' }).first().click();
    await inspector(page).locator('floe-tree .row', { hasText: 'note' }).first().click();
    await inspector(page).locator('floe-history code', { hasText: '/log/note' }).waitFor();
  });

  inLongMode('a value tells its history, and each entry leads to its step', async () => {
    const page = await open();
    await bringAlongside(page);
    await inspector(page).locator('floe-changes button.place', { hasText: 'phase' }).click();
    const entries = inspector(page).locator('floe-history .entry');
    await entries.nth(1).waitFor();
    expect(await entries.first().textContent()).toMatch(/expected\s*→\s*alongside/);
    expect(await entries.first().textContent()).toMatch(/Your click on “Bring alongside”/);
    await entries.nth(1).click();
    await says(page, /^The application ran “open the control room”/);
  });

  test('derived values show what changed them, what they depend on, and who uses them', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(inspector(page), 'Derived').click();
    // What came to the same in the end did not change: the visit lies at no berth.
    const board = inspector(page)
      .locator('floe-derived li', { hasText: /^\s*counts/ })
      .first();
    await board.getByText('changed by this').waitFor();
    await board.getByRole('button').first().click();
    const detail = board.locator('.detail').first();
    await detail.getByText('depends on').waitFor();
    expect(await detail.textContent()).toMatch(/used by\s*2 watchers/);
    expect(await detail.locator('dd').nth(1).textContent()).toContain('dayShown');
    await inspector(page).getByLabel('Find a derived value').fill('berthBoard');
    await board.waitFor({ state: 'hidden' });
  });
});
