// What a developer does in the docked inspector, where it stands in the page, and how many clicks the work takes.
import { describe, expect, test } from '@jest/globals';
import type { Locator, Page } from 'playwright-core';
import { harbourPage } from '../support/harbour-page.js';
import { steps, button, inspector, sentence, says, assign, bringAlongside } from '../support/inspector-page.js';
import { inLongMode } from '../support/in-long-mode.js';

const { open, newContext } = harbourPage({ each: true });

describe('what a developer does', () => {
  test('leaving a step out says what is different, and taking it in undoes that', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(inspector(page), 'Leave out').click();
    const difference = inspector(page).getByRole('status', { name: 'What is different' });
    await difference.getByText(/^Without step \d+$/).waitFor();
    expect(await difference.textContent()).toMatch(/phase\s*alongside\s*→\s*expected/);
    await page.locator('tr.row', { hasText: 'expected' }).first().waitFor();
    await button(inspector(page), 'Take in').click();
    await difference.getByText(/^With step \d+ again$/).waitFor();
  });

  inLongMode('an action is sent again, edited; text that is not JSON is refused and kept', async () => {
    const page = await open();
    await page.getByLabel('Log note for the next watch').fill('Fog.');
    await says(page, /wrote in the log$/);
    await button(inspector(page), 'Send again…').click();
    const form = inspector(page).getByRole('form', { name: 'Send an action' });
    await form.getByLabel('Payload, as JSON').fill('Fog until noon.');
    await button(form, 'Send').click();
    await inspector(page).getByRole('alert').getByText('The payload is not JSON').waitFor();
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
      await button(inspector(page), 'More').click();
      await inspector(page).getByRole('menuitem', { name, exact: true }).click();
    };
    await menu('Copy as code');
    await inspector(page).getByText('The code was copied.').waitFor();
    expect(await page.evaluate(() => navigator.clipboard.readText())).toMatch(
      /^runtime\.dispatch\(\{ type: 'port\.movedOn'/,
    );
    await menu('Add a note…');
    await inspector(page)
      .getByRole('form', { name: /^A note at step/ })
      .getByLabel('Note')
      .fill('Too early?');
    await page.keyboard.press('Enter');
    await inspector(page)
      .getByText(/has a note; it is saved with the session/)
      .waitFor();
    await menu('Write a test…');
    const form = inspector(page).getByRole('form', { name: 'Write a test' });
    await button(form, 'Write').click();
    await inspector(page)
      .getByRole('form', { name: 'A test' })
      .getByText(/testRuntime\(/)
      .waitFor();
    await button(inspector(page).getByRole('form', { name: 'A test' }), 'Close').click();
    await menu('Mute this kind');
    await inspector(page).getByText('port.movedOn is muted').waitFor();
  });

  test('a session is saved, and opened beside the running application, whose history stays', async () => {
    const page = await open();
    await bringAlongside(page);
    await button(inspector(page), 'Session').click();
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      button(inspector(page), 'Save session').click(),
    ]);
    expect(download.suggestedFilename()).toBe('skerrow-harbour.jsonl');
    // A browser that suites share keeps its files to itself.
    const parts = (await (await download.createReadStream()).toArray()) as Buffer[];
    const file = { name: download.suggestedFilename(), mimeType: 'application/jsonl', buffer: Buffer.concat(parts) };
    await page.getByText(/^Departed \d+$/).click();
    const before = await steps(page);
    await inspector(page).locator('floe-files input[type=file]').setInputFiles(file);
    await button(inspector(page), 'Open beside').click();
    await says(page, /^The click on “Bring alongside” brought .* alongside$/);
    expect(await steps(page)).toBeGreaterThanOrEqual(before);
    await button(inspector(page), 'Leave out').focus();
    await page.keyboard.press('Enter');
    await inspector(page).getByRole('alert').getByText('needs the model').waitFor();
    await inspector(page).getByRole('group', { name: 'Sessions' }).getByRole('button').first().click();
    await says(page, /showed departed visits$/);
    // Only where it is asked for, a file takes the place of the history.
    await inspector(page).locator('floe-files input[type=file]').setInputFiles(file);
    await button(inspector(page), 'Take in place of the running history').click();
    await inspector(page)
      .getByText(/took the place of the history/)
      .waitFor();
    await says(page, /brought .* alongside$/);
  });
});

describe('the dock', () => {
  test('is resized, moved to a side, and folds into one line that says the last step and the problems', async () => {
    const page = await open();
    const resizer = inspector(page).getByRole('separator', { name: 'Size of the inspector' });
    const height = async (): Promise<number> =>
      (await inspector(page).locator('floe-inspector .whole').boundingBox())!.height;
    expect(await height()).toBe(320);
    await resizer.focus();
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('ArrowUp');
    expect(await height()).toBe(360);
    const box = (await resizer.boundingBox())!;
    await page.mouse.move(640, box.y + 4);
    await page.mouse.down();
    await page.mouse.move(640, 600, { steps: 4 });
    await page.mouse.up();
    expect(Math.abs((await height()) - 200)).toBeLessThan(8);
    // The page has the rest.
    expect((await page.locator('.room').boundingBox())!.height).toBeLessThan(620);
    await button(inspector(page), 'Dock to the right').click();
    expect((await inspector(page).locator('floe-inspector .whole').boundingBox())!.x).toBeGreaterThan(700);
    await button(inspector(page), 'Dock to the bottom').click();
    await button(inspector(page), 'Fold the inspector').click();
    await page.getByLabel('Log note for the next watch').fill('Fog.');
    const line = inspector(page).locator('button.unfold');
    await line.getByText(/wrote in the log$/).waitFor();
    expect(await line.textContent()).toContain('no problems');
    expect((await line.boundingBox())!.height).toBeLessThan(40);
    await line.click();
    await says(page, /wrote in the log$/);
  });

  inLongMode('begins folded in a narrow window, and works there', async () => {
    const context = await newContext();
    const page = await context.newPage();
    await page.setViewportSize({ width: 400, height: 800 });
    const wide = await open('/', context);
    await page.goto(wide.url());
    await inspector(page).locator('button.unfold').waitFor();
    await inspector(page).locator('button.unfold').click();
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
    await inspector(page).locator('floe-changes td.new', { hasText: 'alongside' }).first().waitFor();
  });
  inLongMode('who set this value, and why: one', async () => {
    const { page, press } = await fresh();
    await press(inspector(page).locator('floe-changes button.place', { hasText: 'phase' }));
    await inspector(page).locator('floe-history .because').first().waitFor();
  });
  inLongMode('which actions failed: one', async () => {
    const page = await open();
    await assign(page);
    await says(page, /the office refused it/);
    await inspector(page)
      .getByRole('button', { name: /1 problem$/ })
      .click();
    await inspector(page).locator('.found .entry', { hasText: 'failed' }).waitFor();
  });
  inLongMode('what would be there without this step: one', async () => {
    const { page, press } = await fresh();
    await press(button(inspector(page), 'Leave out'));
    await inspector(page)
      .getByText(/^Without step/)
      .waitFor();
  });
  inLongMode('send the last action with another payload: two', async () => {
    const { page, press } = await fresh();
    await press(button(inspector(page), 'Send again…'));
    const form = inspector(page).getByRole('form', { name: 'Send an action' });
    const payload = JSON.parse(await form.getByLabel('Payload, as JSON').inputValue()) as object;
    await form.getByLabel('Payload, as JSON').fill(JSON.stringify({ ...payload, phase: 'expected' }));
    await press(button(form, 'Send'));
    await says(page, /^You, in this inspector, put .* back to expected$/);
  });
  inLongMode('what does this selector depend on, and was it computed for nothing: two', async () => {
    const { page, press } = await fresh();
    await press(button(inspector(page), 'Derived'));
    await press(inspector(page).locator('floe-derived li', { hasText: 'counts' }).first().getByRole('button').first());
    await inspector(page)
      .locator('floe-derived .detail')
      .getByText(/times?, (never|\d+) for nothing/)
      .waitFor();
  });
  inLongMode('take a test from the last two interactions: three', async () => {
    const { page, press } = await fresh();
    await press(button(inspector(page), 'More'));
    await press(inspector(page).getByRole('menuitem', { name: 'Write a test…' }));
    const form = inspector(page).getByRole('form', { name: 'Write a test' });
    await form.getByLabel('The last interactions of the user').fill('2');
    await form.getByText(/^Of step \d+ to step \d+\.$/).waitFor();
    await press(button(form, 'Write'));
    await inspector(page)
      .getByRole('form', { name: 'A test' })
      .getByText(/testRuntime\(/)
      .waitFor();
  });
  inLongMode('save the session: two', async () => {
    const { page, press } = await fresh();
    await press(button(inspector(page), 'Session'));
    await Promise.all([page.waitForEvent('download'), press(button(inspector(page), 'Save session'))]);
  });
  inLongMode('set a value: three; keep one in sight: two', async () => {
    const setting = await fresh();
    const phase = (page: Page): Locator =>
      inspector(page).locator('floe-tree .row.replaced', { hasText: 'phase' }).first();
    await setting.press(button(inspector(setting.page), 'State'));
    await phase(setting.page).hover();
    await setting.press(phase(setting.page).getByRole('button', { name: 'set' }));
    const form = inspector(setting.page).getByRole('form', { name: /^Set / });
    await form.getByRole('textbox').fill('"expected"');
    await setting.press(button(form, 'Set'));
    await says(setting.page, /^You, in this inspector, set/);
    const pinning = await fresh();
    await pinning.press(button(inspector(pinning.page), 'State'));
    await phase(pinning.page).hover();
    await pinning.press(phase(pinning.page).getByRole('button', { name: 'pin' }));
    await inspector(pinning.page).locator('floe-pins', { hasText: 'alongside' }).waitFor();
  });
  inLongMode(
    'what runs and who asked, what costs most, what is stored, how the model hangs together, play: one each',
    async () => {
      const { page } = await fresh();
      for (const [control, shown] of [
        ['Tasks', '.task-run .because'],
        ['Figures', 'floe-figures tbody tr'],
        ['Stored', 'floe-stored tbody tr'],
        ['Model', '.model-part.lit'],
        ['Play', 'button[aria-label="Stop playing"]'],
      ] as const) {
        await button(inspector(page), control).click();
        await inspector(page).locator(shown).first().waitFor();
      }
    },
  );
});
