// The inspector as a page of its own, on recordings; and linked to a store that has no Floe.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Locator, Page } from 'playwright-core';
import { action } from 'floe';
import { openPort } from '../inspector/port.js';
import { demo } from '../support/command.js';
import { inspecting, type Served } from '../support/inspect.js';
import { button, inspector } from '../support/inspector-page.js';
import { bundledPage, contextWith, launch } from '../support/page.js';
import { inLongMode } from '../support/in-long-mode.js';
import { longMode } from '../support/runs.js';

let browser: Browser;
let folder: string;
let shift: string;
const started: Served[] = [];

beforeAll(async () => {
  mkdirSync('reports', { recursive: true });
  folder = mkdtempSync(join(process.cwd(), 'reports', 'inspect-'));
  shift = join(folder, 'harbour-shift.jsonl');
  browser = await launch();
  const ended = await demo(['--headless', '--save', shift]);
  expect(ended.code).toBe(0);
});
afterAll(async () => {
  await browser?.close();
  await Promise.all(started.map((one) => one.close()));
  rmSync(folder, { recursive: true, force: true });
});

const title = (page: Page): Locator => page.locator('.moment h1');
const says = (page: Page, text: RegExp): Promise<void> => title(page).filter({ hasText: text }).waitFor();

/** The page of a file; fails the test when the console complains, as of a broken policy. */
async function inspect(args: readonly string[], work: (page: Page) => Promise<void>, input?: string): Promise<void> {
  const served = await inspecting(args, input);
  started.push(served);
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const wrongs: string[] = [];
  page.on('pageerror', (error) => wrongs.push(error.message));
  page.on('console', (message) => ['error', 'warning'].includes(message.type()) && wrongs.push(message.text()));
  await page.goto(served.address);
  await work(page);
  expect(wrongs).toEqual([]);
  await page.close();
}

/** A recording of the small port as a file. */
async function recorded(
  name: string,
  work: (port: ReturnType<typeof openPort>) => Promise<void> | void,
): Promise<string> {
  const port = openPort();
  await work(port);
  const file = join(folder, name);
  writeFileSync(file, port.runtime.trace.export());
  return file;
}
const axeSource = readFileSync('node_modules/axe-core/axe.min.js', 'utf8');

describe('a recording', () => {
  test('is told moment by moment; a step is found, looked at, and its values tell their history', () =>
    inspect([shift], async (page) => {
      await says(page, /ended the shift|dispatched/);
      await page.getByLabel('Find a step, a value, a store, a cause').fill('refuses');
      await page.getByLabel('Find a step, a value, a store, a cause').last().waitFor();
      await page.locator('floe-find select[aria-label=Outcome]').waitFor();
      await page.getByLabel('Find a step, a value, a store, a cause').first().fill('berthAssigned');
      await page.locator('.found[aria-busy=false] .entry').first().click();
      await says(page, /gave .* berth \w+; the office (confirmed|refused) it after/);
      await button(page, 'State').click();
      await page.locator('floe-tree .row.replaced, floe-tree .row.inside').first().waitFor();
      await page.locator('floe-changes button.place').first().click();
      await page.locator('floe-history .entry').first().waitFor();
      await button(page, 'Derived').click();
      await page.getByText('Derived values need the model: floe inspect TRACE --model MODULE.').waitFor();
      await page.getByRole('button', { name: 'Leave out' }).focus();
      await page.keyboard.press('Enter');
      await page.getByRole('alert').getByText('--model MODULE').waitFor();
    }));

  test('with its model: steps are left out, actions sent, and values derived as they were at the chosen step', () =>
    inspect([shift, '--model', 'examples/harbour/dist/src/model/index.js'], async (page) => {
      await says(page, /\w/);
      await button(page, 'Derived').click();
      const counts = page.locator('floe-derived li', { hasText: /counts/ }).first();
      await counts.waitFor();
      const at = async (): Promise<string> => (await counts.locator('.preview').textContent())!.trim();
      const end = await at();
      await page.getByRole('slider', { name: 'Line of time' }).focus();
      await page.keyboard.press('Home');
      await page.waitForFunction(
        (before) =>
          ![...document.querySelector('floe-inspector')!.shadowRoot!.querySelectorAll('floe-derived .preview')].some(
            (one) => one.textContent!.trim() === before,
          ),
        end,
      );
      await page.getByLabel('Find a step, a value, a store, a cause').first().fill('noteWritten');
      await page.locator('.found[aria-busy=false] .entry').first().click();
      await says(page, /wrote in the log$/);
      await button(page, 'Leave out').click();
      await page.getByText(/^Without step \d+$/).waitFor();
      await button(page, 'Take it in again').click();
      await page.getByText(/^With step \d+ again$/).waitFor();
      await button(page, 'Send again…').click();
      const form = page.getByRole('form', { name: 'Send an action' });
      await form.getByLabel('Payload, as JSON').fill('"Fog."');
      await button(form, 'Send').click();
      await says(page, /^A developer, in the inspector, wrote in the log$/);
    }));

  test('from standard input, and one that is no recording, say what they are', async () => {
    await inspect(['-'], (page) => says(page, /\w/), readFileSync(shift, 'utf8'));
    const none = join(folder, 'visits.csv');
    writeFileSync(none, 'vessel,berth\nCorran Bell,N4\n');
    await inspect([none], (page) => page.getByRole('alert').getByText('FLOE_NOT_A_TRACE').waitFor());
    const short = join(folder, 'short.jsonl');
    const text = readFileSync(shift, 'utf8');
    writeFileSync(short, text.slice(0, text.length - 40));
    await inspect([short], async (page) => {
      await page.getByRole('alert').getByText('FLOE_TRACE_CUT_SHORT').waitFor();
      await says(page, /\w/);
    });
    const newer = join(folder, 'newer.jsonl');
    writeFileSync(newer, '{"floe":"trace","version":99,"written":"2031-03-02T00:00:00.000Z"}\n');
    await inspect([newer], (page) => page.getByRole('alert').getByText('FLOE_TRACE_TOO_NEW').waitFor());
  });

  inLongMode('a file that is dropped on the page opens beside; without any, the page says what to do', () =>
    inspect([], async (page) => {
      await page.getByText('An application is shown here as soon as it links itself:').waitFor();
      const text = readFileSync(shift, 'utf8');
      const data = await page.evaluateHandle((content) => {
        const transfer = new DataTransfer();
        transfer.items.add(new File([content], 'dropped.jsonl'));
        return transfer;
      }, text);
      await page.locator('.whole').dispatchEvent('dragover', { dataTransfer: data });
      await page.getByText('Drop a session to open it').waitFor();
      await page.locator('.whole').dispatchEvent('drop', { dataTransfer: data });
      await says(page, /\w/);
      await page.locator('.head b', { hasText: 'dropped.jsonl' }).waitFor();
    }),
  );

  inLongMode('an hour of waiting is folded', async () => {
    const file = await recorded('idle.jsonl', ({ runtime, noted }) => {
      for (const note of ['a', 'b', 'c']) runtime.dispatch(noted(note));
    });
    let later = 0;
    const lines = readFileSync(file, 'utf8')
      .split('\n')
      .map((line) => {
        if (!line.includes('"seq"')) return line;
        const step = JSON.parse(line) as { seq: number; time: number };
        if (step.seq === 4) later = 3_600_000;
        return JSON.stringify({ ...step, time: step.time + step.seq * 200 + later });
      });
    writeFileSync(file, lines.join('\n'));
    await inspect([file], async (page) => {
      await page.getByText('1 h 0 min idle').waitFor();
      const xs = await page
        .locator('floe-time circle.mark')
        .evaluateAll((marks) => marks.map((mark) => Number(mark.getAttribute('cx'))));
      // Two steps on each side of the hour stand further apart than the hour is wide.
      const [first, second] = [...new Set(xs)].slice(1);
      expect(second - first).toBeGreaterThan(20);
    });
  });

  inLongMode('branches stand in rows of their own', async () => {
    const file = await recorded('branches.jsonl', ({ runtime, noted, shut }) => {
      runtime.dispatch(noted('a'));
      const { seq } = runtime.trace.steps.at(-1)!;
      runtime.dispatch(noted('b'));
      runtime.trace.seek(seq);
      runtime.dispatch(shut());
      runtime.trace.nameBranch(0, 'without the storm');
    });
    await inspect([file], async (page) => {
      await page.locator('floe-time .branch').getByText('branch “without the storm”').waitFor();
      await button(page, 'Branches').click();
      await button(page.locator('floe-branches'), 'Compare').click();
      await page.locator('floe-branches').getByText('log · notes').waitFor();
    });
  });

  inLongMode('redacted values are shown as such', async () => {
    const { runtime, keyed } = openPort({ redact: { state: ['/log/key'], actions: { 'log.keyed': [''] } } });
    runtime.dispatch(keyed('open-sesame'));
    const file = join(folder, 'redacted.jsonl');
    writeFileSync(file, runtime.trace.export());
    await inspect([file], async (page) => {
      await page.getByRole('treeitem', { name: /log/ }).first().click();
      await page.locator('floe-tree').getByText('••• redacted').waitFor();
      await button(page, 'Session').click();
      await page.getByText('Redacted:').waitFor();
    });
  });
});

test('no markup in a payload, a type, a note or the name of a file is interpreted', async () => {
  const markup = '<img src=x onerror="globalThis.broken=1"><script>globalThis.broken=1</script>${globalThis.broken=1}';
  const file = await recorded('hostile.jsonl', ({ runtime, noted, log, click }) => {
    const hostile = action<string>('x<b onclick="globalThis.broken=1">y');
    log.when(hostile, (draft, note) => {
      draft.notes.push(note);
    });
    click(markup, () => runtime.dispatch(noted(markup)));
    runtime.dispatch(hostile(markup));
    runtime.trace.mark(markup);
    runtime.trace.nameBranch(0, markup);
  });
  const named = join(folder, '<img src=x onerror=alert(1)>.jsonl');
  writeFileSync(named, readFileSync(file));
  await inspect([named], async (page) => {
    await says(page, /click on “<img src=x onerror/);
    await button(page, 'Forward: the moment after').click();
    await says(page, /x<b onclick/);
    await page.locator('floe-causes button.words').first().click();
    await button(page, 'History').click();
    await page.locator('floe-changes button.place').first().click();
    await page.locator('floe-history .entry').first().waitFor();
    await page.getByLabel('Find a step, a value, a store, a cause').first().fill('onerror');
    await page.locator('.found[aria-busy=false] .entry').first().waitFor();
    for (const tab of ['State', 'Branches', 'Session']) await button(page, tab).click();
    await button(page, 'Back: the moment before').click();
    await says(page, /click on “<img src=x onerror/);
    expect(
      await page.evaluate(() => [(globalThis as { broken?: number }).broken, document.querySelectorAll('img').length]),
    ).toEqual([undefined, 0]);
    const inside = await page.evaluate(
      () => document.querySelector('floe-inspector')!.shadowRoot!.querySelectorAll('img, script, b[onclick]').length,
    );
    expect(inside).toBe(0);
  });
});

test.each(longMode ? (['light', 'dark'] as const) : (['dark'] as const))(
  'axe finds nothing on the page, wide and narrow, %s',
  (colorScheme) =>
    inspect([shift], async (page) => {
      await page.emulateMedia({ colorScheme });
      await says(page, /\w/);
      const found = async (): Promise<unknown[]> => {
        // A policy as strict as the page's lets no script in from outside: axe comes through the debugger.
        await page.evaluate(axeSource);
        return page.evaluate(async () => {
          type Axe = { run(): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> };
          const { violations } = await (globalThis as unknown as { axe: Axe }).axe.run();
          return violations.map(({ id, nodes }) => ({ id, nodes: nodes.slice(0, 3).map(({ html }) => html) }));
        });
      };
      for (const tab of ['State', 'Derived', 'History', 'Branches', 'Session']) {
        await button(page, tab).click();
        await page.waitForTimeout(200);
        expect({ tab, found: await found() }).toEqual({ tab, found: [] });
      }
      await page.setViewportSize({ width: 400, height: 800 });
      await page.waitForTimeout(200);
      expect(await found()).toEqual([]);
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(400);
    }),
);

inLongMode(
  'the store of the reference, which has no Floe, is inspected: moments, state, histories, sending',
  async () => {
    const reference = readFileSync('docs/reference/link-protocol.md', 'utf8');
    const code = /^```js file=own-store\.js\n([^]*?)^```$/m.exec(reference)![1];
    expect(code.split('\n').length).toBeLessThan(55);
    writeFileSync(
      join(folder, 'own-store-page.js'),
      `${code}
    const store = emittingStore({ berths: { N4: null }, count: 0 }, (state, { type, payload }) =>
      type === 'berthed' ? { ...state, berths: { ...state.berths, [payload.berth]: payload.vessel }, count: state.count + 1 } : state);
    document.body.innerHTML = '<button>Berth</button>';
    document.querySelector('button').onclick = () => store.dispatch({ type: 'berthed', payload: { berth: 'N4', vessel: 'Corran Bell' } });
    inspectStore('harbour', store);
    globalThis.store = store;`,
    );
    const script = await bundledPage(join(folder, 'own-store-page.js'), 'development');
    const context = await contextWith(browser, 'http://own.localhost', script);
    const page = await context.newPage();
    await page.goto('http://own.localhost/');
    const sentence = inspector(page).locator('.say .sentence');
    await sentence.filter({ hasText: 'The runtime began' }).waitFor();
    await button(page, 'Berth').click();
    await sentence.filter({ hasText: 'The application dispatched berthed' }).waitFor();
    // The patch replaced the whole state: the places inside are found.
    await inspector(page).locator('floe-changes').getByRole('button', { name: 'harbour · berths · N4' }).click();
    await inspector(page).locator('floe-history .entry').first().waitFor();
    expect(await inspector(page).locator('floe-history .entry').first().textContent()).toMatch(
      /null\s*→\s*Corran Bell/,
    );
    await button(inspector(page), 'Send again…').click();
    const form = inspector(page).getByRole('form', { name: 'Send an action' });
    await form.getByLabel('Payload, as JSON').fill('{ "berth": "N5", "vessel": "Stout Idris" }');
    await button(form, 'Send').click();
    await page.waitForFunction(
      () => (globalThis as unknown as { store: { state: { count: number } } }).store.state.count === 2,
    );
    await inspector(page).locator('floe-changes').getByRole('button', { name: 'harbour · berths · N5' }).waitFor();
    await inspector(page).getByRole('button', { name: 'Leave out' }).focus();
    await page.keyboard.press('Enter');
    await inspector(page).getByRole('alert').waitFor();
    await page.close();
  },
);

inLongMode(
  'docked at a runtime without a trace, the inspector says how to record one; docked to the left, the page has the rest',
  async () => {
    writeFileSync(
      join(folder, 'no-trace-page.ts'),
      `import { createRuntime, store } from 'floe';
    import { showInspector } from 'floe/inspector';
    document.body.innerHTML = '<p>The page</p>';
    const inspector = showInspector(createRuntime({ stores: [store('log', { note: '' })] }), { dock: 'left', name: 'The log' });
    Object.assign(globalThis, { inspector });`,
    );
    const script = await bundledPage(join(folder, 'no-trace-page.ts'), 'development');
    const context = await contextWith(browser, 'http://bare.localhost', script);
    const page = await context.newPage();
    await page.goto('http://bare.localhost/');
    await inspector(page).getByRole('alert').getByText('createRuntime({ trace: recording() })').waitFor();
    expect((await page.getByText('The page').boundingBox())!.x).toBeGreaterThan(400);
    await page.evaluate(() => (globalThis as unknown as { inspector: { close(): void } }).inspector.close());
    expect(await page.locator('iframe[title=Inspector]').count()).toBe(0);
    expect((await page.getByText('The page').boundingBox())!.x).toBeLessThan(20);
    await page.close();
  },
);
