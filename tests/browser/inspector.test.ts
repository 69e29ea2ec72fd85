// The inspector docked at the demo, as a developer uses it.
import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import type { Locator, Page } from 'playwright-core';
import { until } from '../support/eventually.js';
import { harbourPage } from '../support/harbour-page.js';

const { open, newContext } = harbourPage({ each: true });

type Harbour = { harbour: { trace: { steps: { seq: number }[]; cursor: number; isLive: boolean } } };
const steps = (page: Page): Promise<number> =>
  page.evaluate(() => (globalThis as unknown as Harbour).harbour.trace.steps.length);
const button = (page: Page | Locator, name: string | RegExp): Locator =>
  page.getByRole('button', { name, exact: true });
const sentence = (page: Page): Locator => page.locator('.say .sentence');
const says = async (page: Page, text: RegExp): Promise<void> => {
  await sentence(page).filter({ hasText: text }).waitFor();
};
/** Picks the last expected visit, and chooses a berth for it as a user does: with the keyboard. */
async function assign(page: Page, nth = -1): Promise<void> {
  await page.getByText(/^Expected \d+$/).click();
  await page.locator('tr.row').nth(nth).click();
  await says(page, /^Your click on the row/);
  await page.getByLabel('Assign a berth').focus();
  await page.keyboard.press('ArrowDown');
}
async function bringAlongside(page: Page): Promise<void> {
  await page.getByText(/^Expected \d+$/).click();
  // At an anchorage: its office never refuses.
  const row = page.locator('tr.row').filter({ has: page.locator('.place-cell', { hasText: /^A/ }) });
  await row.first().getByRole('button', { name: 'Bring alongside' }).click();
  await says(page, /brought .* alongside$/);
  // Each further step of the moment scrolls the state to what changed: a click meanwhile would meet another row.
  await page.waitForFunction(() => {
    const element = document.querySelector('floe-inspector') as unknown as {
      readonly at: number;
      readonly sessions: readonly { readonly moment?: { readonly isGrowing: boolean } }[];
    };
    return element.sessions[element.at].moment?.isGrowing === false;
  });
}

/** What axe finds wrong in the inspector. */
async function violations(page: Page): Promise<unknown[]> {
  await page.evaluate(axeSource);
  return page.evaluate(async () => {
    type Axe = {
      run(on: unknown, options: object): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }>;
    };
    const { violations: found } = await (globalThis as unknown as { axe: Axe }).axe.run(
      { include: [['floe-inspector']] },
      // Its landmarks are inside of the page's own.
      { rules: { region: { enabled: false } } },
    );
    return found.map(({ id, nodes }) => ({ id, nodes: nodes.slice(0, 3).map(({ html }) => html) }));
  });
}
const axeSource = readFileSync('node_modules/axe-core/axe.min.js', 'utf8');

describe('the moment', () => {
  test('says what a click led to, grows with its tasks, and is not replaced by what the page does meanwhile', async () => {
    const page = await open();
    await says(page, /^The application/);
    await assign(page);
    await says(page, /^Your choice in “Assign a berth” gave .+ berth \w+; the office (confirmed|refused) it after/);
    await page.locator('floe-time .coalesced').nth(1).waitFor();
    expect(await sentence(page).textContent()).toMatch(/^Your choice in “Assign a berth” gave/);
    const causes = page.locator('floe-causes .cause .label');
    expect((await causes.allTextContents()).slice(0, 3)).toEqual([
      'choice in “Assign a berth”',
      expect.stringMatching(/^assign a berth, run \d+$/),
      expect.stringMatching(/^gave .+ berth \w+$/),
    ]);
    await page
      .locator('floe-changes')
      .getByRole('button', { name: /visit v\d+ · place/ })
      .waitFor();
  });

  test('a click that dispatches nothing says so', async () => {
    const page = await open();
    await button(page, 'Plan a visit').click();
    await says(page, /^Your click on “Plan a visit” dispatched nothing$/);
    await page.getByText('No action was dispatched').waitFor();
  });

  test('what is typed is noted without what was typed', async () => {
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
    await page.locator('floe-causes button.words', { hasText: 'brought' }).click();
    const detail = page.locator('floe-causes .detail');
    await detail.getByText('payload').waitFor();
    expect(await detail.textContent()).toMatch(/because of\s*run \d+ of a task/);
    expect(await detail.textContent()).toMatch(/expected\s*→\s*alongside/);
    expect(await detail.textContent()).toMatch(/followed\s*[1-9]\d* computations? of derived values/);
    await page.locator('floe-changes').getByRole('button', { name: 'JSON Patch' }).click();
    expect(await page.locator('floe-changes pre').textContent()).toContain('"op": "replace"');
  });

  test('back, forward and live go from moment to moment; the page stays where it is', async () => {
    const page = await open();
    await bringAlongside(page);
    const rows = await page.locator('tr.row').count();
    await button(page, 'Back: the moment before').click();
    await says(page, /^Your click on “Expected \d+” showed expected visits$/);
    await page.getByText('Following stopped').waitFor();
    expect(await page.locator('tr.row').count()).toBe(rows);
    expect(await page.evaluate(() => (globalThis as unknown as Harbour).harbour.trace.isLive)).toBe(true);
    await button(page, 'Forward: the moment after').click();
    await says(page, /brought .* alongside$/);
    await button(page, 'Back: the moment before').click();
    await button(page, 'Live').click();
    await says(page, /brought .* alongside$/);
    await page.getByText('Following stopped').waitFor({ state: 'hidden' });
  });
});

describe('time', () => {
  test('the chosen place moves by keys and by the pointer, and the window zooms', async () => {
    const page = await open();
    await bringAlongside(page);
    const line = page.getByRole('slider', { name: 'Line of time' });
    await line.focus();
    const at = async (): Promise<number> => Number(await line.getAttribute('aria-valuenow'));
    const newest = await at();
    await page.keyboard.press('ArrowLeft');
    await page.waitForFunction(
      (before) =>
        Number(
          document
            .querySelector('floe-inspector')!
            .shadowRoot!.querySelector('[role=slider]')!
            .getAttribute('aria-valuenow'),
        ) < before,
      newest,
    );
    await page.keyboard.press('Home');
    await page.waitForFunction(
      () =>
        document
          .querySelector('floe-inspector')!
          .shadowRoot!.querySelector('[role=slider]')!
          .getAttribute('aria-valuenow') === '0',
    );
    await says(page, /^The runtime began$/);
    await page.keyboard.press('End');
    await says(page, /brought .* alongside$/);
    const ticks = (): Promise<string[]> => page.locator('floe-time text.small').allTextContents();
    const before = await ticks();
    for (let i = 0; i < 4; i++) await page.keyboard.press('+');
    await until(async () => String(await ticks()) !== String(before));
    await page.keyboard.press('0');
    const mark = page.locator('floe-time .mark').first();
    const box = (await mark.boundingBox())!;
    await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
    await says(page, /^The runtime began$/);
  });

  test('lanes are chosen', async () => {
    const page = await open();
    await bringAlongside(page);
    await page.getByRole('button', { name: /^\d+ more$/ }).click();
    await page.getByRole('group', { name: 'Stores with a lane' }).getByLabel('log').check();
    await page.locator('.lane-name', { hasText: 'log' }).waitFor();
  });

  test('"Show the page here" moves the page, and acting there begins a branch that can be compared, named and left', async () => {
    const page = await open();
    await bringAlongside(page);
    await page.getByText(/^All \d+$/).click();
    await says(page, /showed all visits$/);
    await button(page, 'Back: the moment before').click();
    await button(page, 'Back: the moment before').click();
    await says(page, /showed expected visits$/);
    await button(page, 'More').click();
    await page.getByRole('menuitem', { name: 'Show the page here' }).click();
    await page.getByText('Acting in the page now begins a branch there').waitFor();
    await page.getByText(/^The page shows step \d+, an earlier one\./).waitFor();
    await page.getByLabel('Log note for the next watch').fill('Another way.');
    await page.getByText(/^The page shows step/).waitFor({ state: 'hidden' });
    await page.locator('floe-time .branch').waitFor();
    await button(page, 'Session').click();
    const branches = page.locator('floe-branches');
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
    await button(page, 'State').click();
    const changed = page.locator('floe-tree .row.replaced').first();
    await changed.waitFor();
    expect(await changed.textContent()).toMatch(/phase.*expected\s*alongside/s);
    // A link of the row leads to the other row; that one shows who links to it.
    const vessel = page
      .locator('floe-tree .row', { hasText: 'vessel' })
      .filter({ has: page.locator('button.link', { hasText: /vessel SK-/ }) });
    await vessel
      .first()
      .locator('button.link', { hasText: /vessel SK-/ })
      .click();
    await page.locator('.panel-bar code', { hasText: '/port/vessel/SK-' }).waitFor();
    await button(page, 'All stores').click();
  });

  test('a table is shown as a table: the row that changed first, links lead to rows, rows say who links to them', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(page, 'State').click();
    await page.locator('floe-tree .row.replaced').first().waitFor();
    await page
      .locator('floe-tree .row', { hasText: 'visit' })
      .getByRole('button', { name: 'as a table', includeHidden: true })
      .first()
      .click();
    const table = page.getByRole('table', { name: 'Rows of /port/visit' });
    const first = table.locator('.table-rows .table-row').first();
    await first.getByText('alongside').waitFor();
    expect(await table.getByRole('columnheader').allTextContents()).toEqual(
      expect.arrayContaining(['key', 'phase', 'vessel']),
    );
    expect(await first.textContent()).toMatch(/expected\s*alongside/);
    expect(await violations(page)).toEqual([]);
    await first.getByRole('button', { name: /^vessel SK-/ }).click();
    await page.locator('.panel-bar code', { hasText: '/port/vessel/SK-' }).waitFor();
    await page.locator('floe-tree .row', { hasText: 'hull' }).waitFor();
  });

  test('only chosen stores are shown, and a click on a value shows its history', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(page, 'State').click();
    await page.locator('floe-tree .row.replaced').first().waitFor();
    await page.getByRole('button', { name: 'Stores', exact: true }).click();
    const stores = page.getByRole('group', { name: 'Stores to show' });
    for (const box of await stores.getByRole('checkbox').all()) await box.uncheck();
    await stores.getByLabel('log', { exact: true }).check();
    const shown = page.locator('floe-tree [aria-level="1"]');
    await shown.filter({ hasText: 'log' }).first().waitFor();
    await shown.filter({ hasText: 'port' }).first().waitFor({ state: 'hidden' });
    expect(await shown.count()).toBe(1);
    await page.locator('floe-tree .row', { hasText: 'log' }).first().click();
    await page.locator('floe-tree .row', { hasText: 'note' }).first().click();
    await page.locator('floe-history code', { hasText: '/log/note' }).waitFor();
  });

  test('a value tells its history, and each entry leads to its step', async () => {
    const page = await open();
    await bringAlongside(page);
    await page.locator('floe-changes button.place', { hasText: 'phase' }).click();
    const entries = page.locator('floe-history .entry');
    await entries.nth(1).waitFor();
    expect(await entries.first().textContent()).toMatch(/expected\s*→\s*alongside/);
    expect(await entries.first().textContent()).toMatch(/Your click on “Bring alongside”/);
    await entries.nth(1).click();
    await says(page, /^The application ran “open the control room”/);
  });

  test('derived values show what changed them, what they depend on, and who uses them', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(page, 'Derived').click();
    const board = page.locator('floe-derived li', { hasText: 'berthBoard' }).first();
    await board.getByText('changed by this').waitFor();
    await board.getByRole('button').first().click();
    const detail = board.locator('.detail').first();
    await detail.getByText('depends on').waitFor();
    expect(await detail.textContent()).toMatch(/used by\s*1 watcher/);
    expect(await detail.locator('dd').nth(1).textContent()).toContain('inOrder');
    await page.getByLabel('Find a derived value').fill('counts');
    await board.waitFor({ state: 'hidden' });
  });

  test('steps are found by text, outcome and store', async () => {
    const page = await open();
    await assign(page);
    await says(page, /the office/);
    await button(page, 'Find').click();
    await page.getByLabel('Find a step, a value, a store, a cause').fill('berthAssigned');
    await page.locator('.found .entry', { hasText: 'berth' }).first().waitFor();
    const found = await page.locator('.found .entry').count();
    expect(found).toBeLessThan(5);
    await page.locator('.found .entry').first().click();
    await page.getByText('Following stopped').waitFor();
  });
});

describe('what a developer does', () => {
  test('leaving a step out says what is different, and taking it in undoes that', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(page, 'Leave out').click();
    const difference = page.getByRole('status', { name: 'What is different' });
    await difference.getByText(/^Without step \d+$/).waitFor();
    expect(await difference.textContent()).toMatch(/phase\s*alongside\s*→\s*expected/);
    await page.locator('tr.row', { hasText: 'expected' }).first().waitFor();
    await button(page, 'Take in').click();
    await difference.getByText(/^With step \d+ again$/).waitFor();
  });

  test('an action is sent again, edited; text that is not JSON is refused and kept', async () => {
    const page = await open();
    await page.getByLabel('Log note for the next watch').fill('Fog.');
    await says(page, /wrote in the log$/);
    await button(page, 'Send again…').click();
    const form = page.getByRole('form', { name: 'Send an action' });
    await form.getByLabel('Payload, as JSON').fill('Fog until noon.');
    await button(form, 'Send').click();
    await page.getByRole('alert').getByText('The payload is not JSON').waitFor();
    expect(await form.getByLabel('Payload, as JSON').inputValue()).toBe('Fog until noon.');
    await form.getByLabel('Payload, as JSON').fill('"Fog until noon."');
    await button(form, 'Send').click();
    await says(page, /^You, in this inspector, wrote in the log$/);
    expect(await page.getByLabel('Log note for the next watch').inputValue()).toBe('Fog until noon.');
  });

  test('a test is written, an action copied, a note added, a kind muted', async () => {
    const page = await open();
    await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
    await bringAlongside(page);
    const menu = async (name: string): Promise<void> => {
      await button(page, 'More').click();
      await page.getByRole('menuitem', { name, exact: true }).click();
    };
    await menu('Copy as code');
    await page.getByText('The code was copied.').waitFor();
    expect(await page.evaluate(() => navigator.clipboard.readText())).toMatch(
      /^runtime\.dispatch\(\{ type: 'port\.movedOn'/,
    );
    await menu('Add a note…');
    await page
      .getByRole('form', { name: /^A note at step/ })
      .getByLabel('Note')
      .fill('Too early?');
    await page.keyboard.press('Enter');
    await page.getByText(/has a note; it is saved with the session/).waitFor();
    await menu('Write a test…');
    const form = page.getByRole('form', { name: 'Write a test' });
    await button(form, 'Write').click();
    await page
      .getByRole('form', { name: 'A test' })
      .getByText(/testRuntime\(/)
      .waitFor();
    await button(page.getByRole('form', { name: 'A test' }), 'Close').click();
    await menu('Mute this kind');
    await page.getByText('port.movedOn is muted').waitFor();
  });

  test('a session is saved, and opened beside the running application, whose history stays', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(page, 'Session').click();
    const [download] = await Promise.all([page.waitForEvent('download'), button(page, 'Save session').click()]);
    expect(download.suggestedFilename()).toBe('skerrow-harbour.jsonl');
    const file = (await download.path())!;
    await page.getByText(/^Departed \d+$/).click();
    const before = await steps(page);
    await page.locator('floe-files input[type=file]').setInputFiles(file);
    await button(page, 'Open beside').click();
    await says(page, /^The click on “Bring alongside” brought .* alongside$/);
    expect(await steps(page)).toBeGreaterThanOrEqual(before);
    await button(page, 'Leave out').focus();
    await page.keyboard.press('Enter');
    await page.getByRole('alert').getByText('needs the model').waitFor();
    await page.getByRole('group', { name: 'Sessions' }).getByRole('button').first().click();
    await says(page, /showed departed visits$/);
    // Only where it is asked for, a file takes the place of the history.
    await page.locator('floe-files input[type=file]').setInputFiles(file);
    await button(page, 'Take in place of the running history').click();
    await page.getByText(/took the place of the history/).waitFor();
    await says(page, /brought .* alongside$/);
  });
});

describe('the dock', () => {
  test('is resized, moved to a side, and folds into one line that says the last step and the problems', async () => {
    const page = await open();
    const grip = page.getByRole('separator', { name: 'Size of the inspector' });
    const height = async (): Promise<number> => (await page.locator('floe-inspector .whole').boundingBox())!.height;
    expect(await height()).toBe(320);
    await grip.focus();
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('ArrowUp');
    expect(await height()).toBe(360);
    const box = (await grip.boundingBox())!;
    await page.mouse.move(640, box.y + 4);
    await page.mouse.down();
    await page.mouse.move(640, 600, { steps: 4 });
    await page.mouse.up();
    expect(Math.abs((await height()) - 200)).toBeLessThan(8);
    // The page has the rest.
    expect((await page.locator('.room').boundingBox())!.height).toBeLessThan(620);
    await button(page, 'Dock to the right').click();
    expect((await page.locator('floe-inspector .whole').boundingBox())!.x).toBeGreaterThan(700);
    await button(page, 'Dock to the bottom').click();
    await button(page, 'Fold the inspector').click();
    await page.getByLabel('Log note for the next watch').fill('Fog.');
    const line = page.locator('button.unfold');
    await line.getByText(/wrote in the log$/).waitFor();
    expect(await line.textContent()).toContain('no problems');
    expect((await line.boundingBox())!.height).toBeLessThan(40);
    await line.click();
    await says(page, /wrote in the log$/);
  });

  test('begins folded in a narrow window, and works there', async () => {
    const context = await newContext();
    const page = await context.newPage();
    await page.setViewportSize({ width: 400, height: 800 });
    const wide = await open('/', context);
    await page.goto(wide.url());
    await page.locator('button.unfold').waitFor();
    await page.locator('button.unfold').click();
    await sentence(page).waitFor();
    const overflow = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
    expect(overflow).toBeLessThanOrEqual(0);
  });
});

describe('each task of the work takes at most three clicks', () => {
  /** A fresh page after a click; counts the clicks in the inspector from there on. */
  const fresh = async (): Promise<{ page: Page; press: (what: Locator) => Promise<void> }> => {
    const page = await open();
    await bringAlongside(page);
    let clicks = 0;
    const press = async (what: Locator): Promise<void> => {
      clicks++;
      expect(clicks).toBeLessThanOrEqual(3);
      await what.click();
    };
    return { page, press };
  };

  test('what did my last click change: no click', async () => {
    const { page } = await fresh();
    await page.locator('floe-changes td.new', { hasText: 'alongside' }).first().waitFor();
  });
  test('who set this value, and why: one', async () => {
    const { page, press } = await fresh();
    await press(page.locator('floe-changes button.place', { hasText: 'phase' }));
    await page.locator('floe-history .because').first().waitFor();
  });
  test('which actions failed: one', async () => {
    const page = await open();
    await assign(page);
    await says(page, /the office refused it/);
    await page.getByRole('button', { name: /1 problem$/ }).click();
    await page.locator('.found .entry', { hasText: 'failed' }).waitFor();
  });
  test('what would be there without this step: one', async () => {
    const { page, press } = await fresh();
    await press(button(page, 'Leave out'));
    await page.getByText(/^Without step/).waitFor();
  });
  test('send the last action with another payload: two', async () => {
    const { page, press } = await fresh();
    await press(button(page, 'Send again…'));
    const form = page.getByRole('form', { name: 'Send an action' });
    const payload = JSON.parse(await form.getByLabel('Payload, as JSON').inputValue()) as object;
    await form.getByLabel('Payload, as JSON').fill(JSON.stringify({ ...payload, phase: 'expected' }));
    await press(button(form, 'Send'));
    await says(page, /^You, in this inspector, put .* back to expected$/);
  });
  test('what does this selector depend on, and was it computed for nothing: two', async () => {
    const { page, press } = await fresh();
    await press(button(page, 'Derived'));
    await press(page.locator('floe-derived li', { hasText: 'counts' }).first().getByRole('button').first());
    await page
      .locator('floe-derived .detail')
      .getByText(/times?, (never|\d+) for nothing/)
      .waitFor();
  });
  test('take a test from the last five steps: three', async () => {
    const { page, press } = await fresh();
    await press(button(page, 'More'));
    await press(page.getByRole('menuitem', { name: 'Write a test…' }));
    const form = page.getByRole('form', { name: 'Write a test' });
    const last = Number(await form.getByLabel('to step').inputValue());
    await form.getByLabel('From step').fill(String(last - 4));
    await press(button(form, 'Write'));
    await page
      .getByRole('form', { name: 'A test' })
      .getByText(/testRuntime\(/)
      .waitFor();
  });
  test('save the session: two', async () => {
    const { page, press } = await fresh();
    await press(button(page, 'Session'));
    await Promise.all([page.waitForEvent('download'), press(button(page, 'Save session'))]);
  });
});

describe('for all', () => {
  test.each(['light', 'dark'] as const)('axe finds nothing in any part, %s', async (colorScheme) => {
    const page = await open();
    await page.emulateMedia({ colorScheme });
    await assign(page);
    await says(page, /the office/);
    expect(await violations(page)).toEqual([]);
    for (const panel of ['State', 'Derived', 'Find', 'Session']) {
      await button(page, panel).click();
      await page.waitForTimeout(300);
      expect({ panel, found: await violations(page) }).toEqual({ panel, found: [] });
    }
    await page.locator('floe-causes button.words').first().click();
    await button(page, 'More').click();
    expect(await violations(page)).toEqual([]);
    await page.keyboard.press('Escape');
    await button(page, 'Send again…').click();
    expect(await violations(page)).toEqual([]);
  });

  test('a keyboard alone does the work of a moment', async () => {
    const page = await open();
    await bringAlongside(page);
    const focused = (): Promise<string> =>
      page.evaluate(() => {
        let at = document.activeElement;
        while (at?.shadowRoot?.activeElement) at = at.shadowRoot.activeElement;
        return at?.getAttribute('aria-label') ?? at?.textContent?.trim() ?? '';
      });
    /** Tabs to a control by its name. */
    const tabTo = async (name: RegExp): Promise<void> => {
      for (let i = 0; i < 120; i++) {
        await page.keyboard.press('Tab');
        if (name.test(await focused())) return;
      }
      throw new Error(`no control called ${name.source} was reached`);
    };
    await page.getByRole('separator', { name: 'Size of the inspector' }).focus();
    await tabTo(/^Leave out$/);
    await page.keyboard.press('Enter');
    await page.getByText(/^Without step \d+$/).waitFor();
    await page.keyboard.press('Enter');
    await page.getByText(/^With step \d+ again$/).waitFor();
    await tabTo(/^More$/);
    await page.keyboard.press('Enter');
    await page.keyboard.press('ArrowDown');
    expect(await focused()).toBe('Copy as JSON');
    await page.keyboard.press('Escape');
    expect(await focused()).toBe('More');
    await tabTo(/^State$/);
    await page.keyboard.press('Enter');
    await page.locator('floe-tree .row.replaced').first().waitFor();
    await page.getByRole('separator', { name: 'Size of the inspector' }).focus();
    await tabTo(/^▸\s*visits/);
    await page.keyboard.press('ArrowDown');
    await until(async () => /^▾\s*port/.test(await focused()));
    await page.keyboard.press('ArrowLeft');
    await page
      .locator('floe-tree .row[aria-expanded=false]', { hasText: /^\s*▸\s*port/ })
      .first()
      .waitFor();
  });
});
