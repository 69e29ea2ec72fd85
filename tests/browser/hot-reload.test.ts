// A store's module is edited while the page is open, with Vite and React's fast refresh, by one line in it, not at all, and by the plugin.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { launch } from '../support/page.js';
import { longMode } from '../support/runs.js';

const visits = (hot: string, greeting: string, by: number): string => `
import { store, task } from 'floe';
import { runtime } from './runtime';

export const visits = store('visits', { count: 0 });
export const counted = visits.action('counted', (draft) => {
  draft.count += ${by};
});
export const greeting = visits.selector('greeting', ({ count }) => \`${greeting} \${count}\`);
export const count = task(visits, 'count', ({ dispatch }) => void dispatch(counted()));
void runtime;
${hot}
`;
const runtimeModule = `
import { createRuntime } from 'floe';

export const runtime = createRuntime({ onProblem: ({ error }) => problems.push(String((error as Error).message)) });
export const problems: string[] = [];
Object.assign(globalThis, { problems, runtime });
`;
const app = `
import { useSelection, useAction, useTask } from 'floe/react';
import { count, counted, greeting } from './visits';

export function App() {
  const text = useSelection(greeting);
  const act = useAction(counted);
  const run = useTask(count);
  return (
    <>
      <p>{text}</p>
      <button onClick={() => act()}>act</button>
      <button onClick={() => void run()}>run</button>
    </>
  );
}
`;
const main = `
import { createRoot } from 'react-dom/client';
import { RuntimeProvider } from 'floe/react';
import { App } from './app';
import { runtime } from './runtime';

createRoot(document.getElementById('root')!).render(
  <RuntimeProvider runtime={runtime}>
    <App />
  </RuntimeProvider>,
);
`;

interface Wiring {
  readonly store?: string;
  readonly folder?: string;
  /** How often the second definition is reported. */
  readonly reported: number;
}
const wirings: Record<string, Wiring> = {
  'the store accepts itself, and renews with the next module': {
    store: 'import.meta.hot?.accept((next) => next && runtime.renew(next.visits));',
    reported: 0,
  },
  'nothing is wired': { reported: 1 },
  'the plugin for Vite is there': { folder: 'plugin', reported: 0 },
};

describe('hot reload', () => {
  let browser: Browser;
  let folder: string;
  let server: ChildProcess;
  let address: string;
  beforeAll(async () => {
    mkdirSync('reports', { recursive: true });
    folder = mkdtempSync(join(process.cwd(), 'reports', 'hot-'));
    for (const [number, { folder: own }] of Object.values(wirings).entries())
      mkdirSync(join(folder, own ?? String(number)));
    server = spawn(process.execPath, ['scripts/hot-server.mjs', folder], {
      stdio: ['pipe', 'pipe', 'inherit'],
      env: { ...process.env, NODE_OPTIONS: '' },
    });
    const [line] = (await once(server.stdout!, 'data')) as [Buffer];
    address = String(line).trim();
    browser = await launch();
  });
  afterAll(async () => {
    await browser?.close();
    const ended = server && once(server, 'exit');
    server?.stdin?.end();
    await ended;
    rmSync(folder, { recursive: true, force: true });
  });

  // The plugin alone has a quick test in `new.test.ts`.
  test.each(Object.keys(wirings).slice(0, longMode ? Infinity : 1))(
    '%s: components get the new selectors, actions and tasks, and the state stays',
    async (name) => {
      const wiring = wirings[name];
      const own = wiring.folder ?? String(Object.keys(wirings).indexOf(name));
      const inside = (name: string) => join(folder, own, name);
      const write = (greeting: string, by: number): void =>
        writeFileSync(inside('visits.ts'), visits(wiring.store ?? '', greeting, by));
      write('Hello', 1);
      writeFileSync(inside('runtime.ts'), runtimeModule);
      writeFileSync(inside('app.tsx'), app);
      writeFileSync(inside('main.tsx'), main);
      writeFileSync(
        inside('index.html'),
        '<!doctype html><html><body><div id="root"></div><script type="module" src="./main.tsx"></script></body></html>',
      );
      const page = await browser.newPage();
      const errors: string[] = [];
      page.on('pageerror', (error) => errors.push(error.message));
      let loads = 0;
      page.on('load', () => loads++);
      await page.goto(`${address}${own}/index.html`);
      await page.getByText('Hello 0').waitFor();
      await page.getByText('act').click();
      await page.getByText('Hello 1').waitFor();

      write('Good day', 5);
      await page.getByText('Good day 1').waitFor();
      await page.getByText('act').click();
      await page.getByText('Good day 6').waitFor();
      await page.getByText('run').click();
      await page.getByText('Good day 11').waitFor();

      write('Good night', 7);
      await page.getByText('Good night 11').waitFor();
      await page.getByText('act').click();
      await page.getByText('Good night 18').waitFor();

      expect([errors, loads]).toEqual([[], 1]);
      const problems = await page.evaluate(() => (globalThis as unknown as { problems: string[] }).problems);
      expect(problems).toHaveLength(wiring.reported);
      for (const problem of problems) expect(problem).toContain('runtime.renew(next.visits)');
      await page.close();
    },
  );
});
