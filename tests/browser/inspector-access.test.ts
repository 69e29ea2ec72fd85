// The docked inspector for all: by keyboard, for screen readers, light and dark.
import { describe, expect, test } from '@jest/globals';
import { until } from '../support/eventually.js';
import { harbourPage } from '../support/harbour-page.js';
import { button, inspector, says, assign, bringAlongside, violations } from '../support/inspector-page.js';
import { longMode } from '../support/runs.js';

const { open } = harbourPage({ each: true });

describe('for all', () => {
  test.each(longMode ? (['light', 'dark'] as const) : (['light'] as const))(
    'axe finds nothing in any part, %s',
    async (colorScheme) => {
      const page = await open();
      await page.emulateMedia({ colorScheme });
      await assign(page);
      await says(page, /the office/);
      expect(await violations(page)).toEqual([]);
      for (const panel of ['State', 'Derived', 'Tasks', 'Stored', 'Figures', 'Model', 'Find', 'Session']) {
        await button(inspector(page), panel).click();
        await page.waitForTimeout(300);
        expect({ panel, found: await violations(page) }).toEqual({ panel, found: [] });
      }
      await inspector(page).locator('floe-causes button.words').first().click();
      await button(inspector(page), 'More').click();
      expect(await violations(page)).toEqual([]);
      await page.keyboard.press('Escape');
      await button(inspector(page), 'Live').click();
      await button(inspector(page), 'More').click();
      await inspector(page).getByRole('menuitem', { name: 'Send an action…' }).click();
      expect(await violations(page)).toEqual([]);
    },
  );

  test('a keyboard alone does the work of a moment', async () => {
    const page = await open();
    await bringAlongside(page);
    const focused = (): Promise<string> =>
      page.evaluate(() => {
        let at = document.activeElement;
        const inside = (one: Element | null): Element | null =>
          (one as HTMLIFrameElement | null)?.contentDocument?.activeElement ?? one?.shadowRoot?.activeElement ?? null;
        for (let next = inside(at); next; next = inside(at)) at = next;
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
    await inspector(page).getByRole('separator', { name: 'Size of the inspector' }).focus();
    await tabTo(/^Leave out$/);
    await page.keyboard.press('Enter');
    await inspector(page)
      .getByText(/^Without step \d+$/)
      .waitFor();
    await page.keyboard.press('Enter');
    await inspector(page)
      .getByText(/^With step \d+ again$/)
      .waitFor();
    await tabTo(/^More$/);
    await page.keyboard.press('Enter');
    await page.keyboard.press('ArrowDown');
    expect(await focused()).toBe('Copy as JSON');
    await page.keyboard.press('Escape');
    expect(await focused()).toBe('More');
    await tabTo(/^State$/);
    await page.keyboard.press('Enter');
    await inspector(page).locator('floe-tree .row.replaced').first().waitFor();
    await inspector(page).getByRole('separator', { name: 'Size of the inspector' }).focus();
    await tabTo(/^▸\s*visits/);
    await page.keyboard.press('ArrowDown');
    await until(async () => /^▾\s*port/.test(await focused()));
    await page.keyboard.press('ArrowLeft');
    await inspector(page)
      .locator('floe-tree .row[aria-expanded=false]', { hasText: /^\s*▸\s*port/ })
      .first()
      .waitFor();
  });
});
