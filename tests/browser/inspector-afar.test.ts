// Applications that are shown in the inspector of `floe inspect`: a page and a server in Node.js.
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { spawn, type ChildProcess } from 'node:child_process';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Browser, Locator, Page } from 'playwright-core';
import { inspecting, type Served } from '../support/inspect.js';
import { button, violations } from '../support/inspector-page.js';
import { bundledPage, launch } from '../support/page.js';

interface Linked {
  readonly scenarios: { open(url: string): void };
  readonly link: { readonly isLinked: boolean; close(): void };
  readonly runtime: { snapshot(): { log: { note: string } } };
}
const TOKEN = 'a-key-of-the-tests';

let browser: Browser;
/** Serves the page: Chromium lets a page without a server of this machine reach none of its ports. */
let pages: Server;
let served: Served;
/** The inspector, and the page that is inspected. */
let looking: Page;
let page: Page;
let office: ChildProcess | undefined;

beforeAll(async () => {
  let code: string;
  [browser, code] = await Promise.all([launch(), bundledPage('tests/browser/pages/small-port.ts', 'development')]);
  pages = createServer(({ url }, response) => {
    response.setHeader('Content-Type', url === '/page.js' ? 'text/javascript' : 'text/html');
    response.end(
      url === '/page.js' ? code : '<!doctype html><body></body><script type="module" src="/page.js"></script>',
    );
  });
  await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve));
});
beforeEach(async () => {
  served = await inspecting(['--token', TOKEN]);
  looking = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  looking.setDefaultTimeout(10_000);
  await looking.goto(served.address);
  page = await browser.newPage();
  page.setDefaultTimeout(10_000);
  await page.goto(`http://127.0.0.1:${(pages.address() as AddressInfo).port}/`);
  await page.waitForFunction(() => 'scenarios' in globalThis);
});
afterEach(async () => {
  office?.kill();
  office = undefined;
  await Promise.all([looking.close(), page.close(), served.close()]);
});
afterAll(async () => {
  await browser.close();
  pages.closeAllConnections();
  pages.close();
});

const openLinked = (): Promise<void> =>
  page.evaluate((url) => (globalThis as unknown as Linked).scenarios.open(url), served.address);
/** Starts the server in Node.js, which writes its state to each line that it is asked. */
const startOffice = (): ((line: string) => Promise<unknown>) => {
  const child = spawn(process.execPath, ['tests/fixtures/applications/office.mjs', served.address]);
  office = child;
  return (line) =>
    new Promise((resolve) => {
      child.stdout.once('data', (data: Buffer) => resolve(JSON.parse(data.toString())));
      child.stdin.write(`${line}\n`);
    });
};
const title = (text: RegExp): Promise<void> => looking.locator('.moment h1').filter({ hasText: text }).waitFor();
const tab = (name: string | RegExp): Locator => looking.locator('.sessions').getByRole('button', { name, exact: true });

test('a server in Node.js and its page are two applications, one click apart; each is looked into, moved and acted in', async () => {
  await looking.getByText('An application is shown here as soon as it links itself:').waitFor();
  expect(await violations(looking)).toEqual([]);
  await openLinked();
  await title(/^The application added 2 rows|ingest|visit/);
  const ask = startOffice();
  await tab(/^Harbour office/).waitFor();
  // The one that is looked at stays.
  await page.locator('#note').fill('Fog');
  await page.locator('#quiet').click();
  await title(/^Your click on “Quiet” dispatched nothing$/);
  expect(await tab(/^Small port/).getAttribute('aria-pressed')).toBe('true');
  await tab(/^Harbour office/).click();
  expect(await ask('Is N2 free?')).toEqual({ office: { asked: 1, last: 'Is N2 free?' } });
  await title(/^The application dispatched office.asked$/);
  await looking.locator('floe-changes').getByText('Is N2 free?').waitFor();
  expect(await violations(looking)).toEqual([]);
  // A value is set there.
  const asked = looking.locator('floe-tree .row', { hasText: /^\s*asked/ });
  await asked.hover();
  await asked.getByRole('button', { name: 'set' }).click();
  const form = looking.getByRole('form', { name: 'Set /office/asked' });
  await form.getByRole('textbox').fill('40');
  await button(form, 'Set').click();
  await title(/set .*asked/);
  expect(await ask('And N3?')).toEqual({ office: { asked: 41, last: 'And N3?' } });
});

test('an application that is loaded again, or whose inspector is started again, is shown again', async () => {
  const problems: string[] = [];
  page.on('console', (message) => problems.push(message.text()));
  await openLinked();
  await title(/visit/);
  await button(looking, 'Tasks').click();
  await page.reload();
  await looking.getByText('“Small port” is no longer linked. It is shown here again when it links itself.').waitFor();
  expect(await button(looking, 'Live').count()).toBe(0);
  await page.waitForFunction(() => 'scenarios' in globalThis);
  await openLinked();
  await title(/visit/);
  // What was open stays open, and there is still one session.
  await looking.locator('floe-tasks').waitFor();
  expect(await looking.locator('.sessions').count()).toBe(0);
  const { port } = new URL(served.origin);
  await served.close();
  await looking.getByText(/^The command that served this session has ended|cannot be reached/).waitFor();
  served = await inspecting(['--token', TOKEN, '--port', port]);
  await page.waitForFunction(() => (globalThis as unknown as Linked).link.isLinked);
  await title(/visit/);
  await page.locator('#quiet').click();
  await title(/^Your click on “Quiet” dispatched nothing$/);
  const said = problems.filter((text) => text.startsWith('floe/inspector/link'));
  expect(said).toHaveLength(2);
  expect(said[0]).toContain('cannot be reached');
  expect(said[1]).toBe(`floe/inspector/link: “Small port” is linked to ${served.origin} again.`);
});

test('a wrong token is said once, with what to give', async () => {
  const problems: string[] = [];
  page.on('console', (message) => problems.push(message.text()));
  await page.evaluate(
    (url) => (globalThis as unknown as Linked).scenarios.open(url),
    `${served.origin}/#token=of-an-earlier-run`,
  );
  const refused = (): number => problems.filter((text) => text.includes('does not know this token')).length;
  for (let i = 0; i < 100 && refused() === 0; i++) await page.waitForTimeout(50);
  expect(refused()).toBe(1);
  await looking.getByText('An application is shown here as soon as it links itself:').waitFor();
});
