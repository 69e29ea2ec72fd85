// What the tests of the docked inspector do with its page.
import { readFileSync } from 'node:fs';
import type { FrameLocator, Locator, Page } from 'playwright-core';

export type Harbour = { harbour: { trace: { steps: { seq: number }[]; cursor: number; isLive: boolean } } };
export const steps = (page: Page): Promise<number> =>
  page.evaluate(() => (globalThis as unknown as Harbour).harbour.trace.steps.length);
/** The docked inspector: it stands in a frame of its own. */
export const inspector = (page: Page): FrameLocator => page.frameLocator('iframe[title=Inspector]');
export const button = (page: Page | Locator | FrameLocator, name: string | RegExp): Locator =>
  page.getByRole('button', { name, exact: true });
export const sentence = (page: Page): Locator => inspector(page).locator('.say .sentence');
export const says = async (page: Page, text: RegExp): Promise<void> => {
  await sentence(page).filter({ hasText: text }).waitFor();
};
/** Picks the last expected visit, and chooses a berth for it as a user does: with the keyboard. */
export async function assign(page: Page, nth = -1): Promise<void> {
  await page.getByText(/^Expected \d+$/).click();
  await page.locator('tr.row').nth(nth).click();
  await says(page, /^Your click on the row/);
  await page.getByLabel('Assign a berth').focus();
  await page.keyboard.press('ArrowDown');
}
export async function bringAlongside(page: Page): Promise<void> {
  await page.getByText(/^Expected \d+$/).click();
  // At an anchorage: its office never refuses.
  const row = page.locator('tr.row').filter({ has: page.locator('.place-cell', { hasText: /^A/ }) });
  await row.first().getByRole('button', { name: 'Bring alongside' }).click();
  await says(page, /brought .* alongside$/);
  // Each further step of the moment scrolls the state to what changed: a click meanwhile would meet another row.
  await page.waitForFunction(() => {
    const { contentDocument } = document.querySelector<HTMLIFrameElement>('iframe[title=Inspector]')!;
    const element = contentDocument!.querySelector('floe-inspector') as unknown as {
      readonly at: number;
      readonly sessions: readonly { readonly moment?: { readonly isGrowing: boolean } }[];
    };
    return element.sessions[element.at].moment?.isGrowing === false;
  });
}

/** Opens the state, and waits until its tree stands still: what changed is opened and in sight. */
export async function openState(page: Page): Promise<void> {
  await button(inspector(page), 'State').click();
  await inspector(page).locator('floe-tree [role=tree][aria-busy=false]').waitFor();
}

/** What axe finds wrong in the inspector, or in another element. */
export async function violations(page: Page, within = 'floe-inspector'): Promise<unknown[]> {
  const docked = within === 'floe-inspector' ? await page.$('iframe[title=Inspector]') : null;
  const frame = (await docked?.contentFrame()) ?? page.mainFrame();
  await frame.evaluate(axeSource);
  return frame.evaluate(async (within) => {
    type Axe = {
      run(on: unknown, options: object): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }>;
    };
    const { violations: found } = await (globalThis as unknown as { axe: Axe }).axe.run(
      { include: [[within]] },
      // Its landmarks are inside of the page's own.
      { rules: { region: { enabled: false } } },
    );
    return found.map(({ id, nodes }) => ({ id, nodes: nodes.slice(0, 3).map(({ html }) => html) }));
  }, within);
}
const axeSource = readFileSync('node_modules/axe-core/axe.min.js', 'utf8');
