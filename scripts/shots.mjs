// `npm run shots`: makes the pictures in docs/screenshots/ from the demo data. The pages need Chromium; the
// terminal's pictures need Debian's xvfb, xterm, imagemagick and fonts-dejavu.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { changedModel } from './changed-model.mjs';
import { findChromium, launchOptions } from './chromium.mjs';
import { root, tell } from './run.mjs';

const { startOffice } = await import('../examples/harbour/dist/office/server.js');
const folder = join(root, 'docs', 'screenshots');
const shot = (name) => join(folder, `${name}.png`);

const recordings = mkdtempSync(join(tmpdir(), 'shots-'));
/** A recording with two branches. */
const branched = join(recordings, 'harbour-branches.jsonl');

async function pages(work) {
  // So long the office takes to confirm or refuse a berth.
  const office = await startOffice({
    port: 0,
    page: join(root, 'examples', 'harbour', 'dist', 'page'),
    thinking: 1000,
  });
  const browser = await chromium.launch(launchOptions(findChromium()));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(office.address);
  await page.locator('tr.row').first().waitFor();
  await inspectorOf(page).locator('.say').waitFor();
  await work(page);
  await browser.close();
  await office.close();
}

/** The docked inspector: it stands in a frame of its own. */
const inspectorOf = (page) => page.frameLocator('iframe[title=Inspector]');

/** The demo with its inspector docked. */
async function docked(page) {
  const inspector = inspectorOf(page);
  const button = (name) => inspector.getByRole('button', { name, exact: true });
  const says = (text) => inspector.locator('.say .sentence').filter({ hasText: text }).waitFor();
  const anchored = page.locator('tr.row').filter({ has: page.locator('.place-cell', { hasText: /^A/ }) });
  await page.getByText(/^Expected \d+$/).click();
  await page.locator('tr.row').last().click();
  await says(/^Your click on the row/);
  await page.waitForTimeout(900);
  await page.getByLabel('Assign a berth').focus();
  await page.keyboard.press('ArrowDown');
  await says(/the office (confirmed|refused) it/);
  await page.waitForTimeout(700);
  await page.screenshot({ path: shot('harbour') });
  await page.waitForTimeout(900);
  await anchored.first().getByRole('button', { name: 'Bring alongside' }).click();
  await says(/alongside$/);
  await page.waitForTimeout(500);
  await button('Derived').click();
  await inspector.locator('floe-derived li', { hasText: 'counts' }).first().getByRole('button').first().click();
  await inspector.locator('floe-derived .detail').waitFor();
  await page.waitForTimeout(400);
  await page.screenshot({ path: shot('inspector-derived') });
  await inspector.locator('floe-changes button.place', { hasText: 'phase' }).click();
  await inspector.locator('floe-history .entry').nth(1).waitFor();
  await page.screenshot({ path: shot('inspector-history') });
  await button('State').click();
  await inspector.locator('floe-tree .row.replaced').first().waitFor();
  await button('Leave out').click();
  await inspector.getByText(/^Without step \d+$/).waitFor();
  await page.waitForTimeout(400);
  await page.screenshot({ path: shot('inspector-without') });
  await button('Take in').click();
  await inspector.getByText(/^With step \d+ again$/).waitFor();
  await button('State').click();
  // Another way, from some steps back.
  await button('Live').click();
  await button('Back: the moment before').click();
  await button('Back: the moment before').click();
  await button('More').click();
  await inspector.getByRole('menuitem', { name: 'Show the page here' }).click();
  await inspector.getByText(/^The page shows step/).waitFor();
  await page.getByLabel('Log note for the next watch').fill('Shore power at N1 is out until noon.');
  await inspector.locator('floe-time .branch').waitFor();
  writeFileSync(branched, await page.evaluate(() => globalThis.harbour.trace.export()));
  await page.emulateMedia({ colorScheme: 'dark' });
  await button('Back: the moment before').click();
  await button('State').click();
  await page.waitForTimeout(500);
  await page.screenshot({ path: shot('inspector-dark') });
}

/** What is kept, and a name that the office could not be told. */
async function kept(page) {
  await inspectorOf(page).getByRole('button', { name: 'Fold the inspector' }).click();
  await page.getByText(/^Expected \d+$/).click();
  await page.locator('tr.row').first().click();
  await page.getByLabel('Log note for the next watch').fill('Shore power at N1 is out until noon.');
  await page.context().route('**/office/vessels/**', (route) => route.abort());
  await page.getByRole('button', { name: 'Rename' }).click();
  await page.getByLabel('Name of the vessel').fill('Grey Heron');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Kept here, 1 unsent' }).click();
  await page.getByRole('region', { name: 'Stored for unsent' }).waitFor();
  await page.waitForTimeout(600);
  await page.screenshot({ path: shot('harbour-kept') });
}

/** The inspector as a page, on a recording of the demo with a refused berth. */
async function inspected(folder) {
  const file = join(folder, 'harbour-shift.jsonl');
  await pages(async (page) => {
    await page.getByText(/^Expected \d+$/).click();
    await page.locator('tr.row').first().click();
    await page.waitForTimeout(700);
    await page.locator('tr.row').last().click();
    await page.waitForTimeout(500);
    await page.getByLabel('Assign a berth').focus();
    await page.keyboard.press('ArrowDown');
    await page.waitForTimeout(7000);
    await page.getByText(/^All \d+$/).click();
    await page.waitForTimeout(400);
    writeFileSync(file, await page.evaluate(() => globalThis.harbour.trace.export()));
  });
  await served(file, async (page) => {
    await page.getByRole('button', { name: 'Back: the moment before' }).click();
    await page.locator('.moment h1', { hasText: 'the office refused it' }).waitFor();
    await page.waitForTimeout(600);
    await page.screenshot({ path: shot('inspector-page') });
  });
  const model = ['--model', join(root, 'examples/harbour/src/model/index.ts')];
  await served(
    file,
    async (page) => {
      await page.getByRole('button', { name: 'Back: the moment before' }).click();
      await page.locator('.moment h1', { hasText: 'the office refused it' }).waitFor();
      await page.getByRole('button', { name: 'Model', exact: true }).click();
      await page.locator('.model-part.lit').first().waitFor();
      await page.waitForTimeout(600);
      await page.screenshot({ path: shot('inspector-model') });
    },
    model,
  );
  await served(branched, async (page) => {
    await page.getByRole('button', { name: 'Branches', exact: true }).click();
    await page.getByRole('button', { name: 'Compare', exact: true }).click();
    await page.locator('floe-branches table').waitFor();
    await page.waitForTimeout(400);
    await page.screenshot({ path: shot('inspector-branches') });
  });
}

/** The page of `floe inspect` on a file. */
async function served(file, work, more = []) {
  const command = spawn(process.execPath, [join(root, 'dist', 'cli', 'bin.js'), 'inspect', file, ...more]);
  const address = await new Promise((resolve) => command.stdout.once('data', (data) => resolve(String(data).trim())));
  const browser = await chromium.launch(launchOptions(findChromium()));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(address);
  await page.locator('.moment h1').waitFor();
  await work(page);
  await browser.close();
  command.kill();
}

/** What `floe new` writes, as `npm run dev` shows it. */
async function created() {
  // Inside the project, whose packages it uses.
  const app = join(root, 'reports', 'harbour');
  rmSync(app, { recursive: true, force: true });
  spawnSync(process.execPath, [join(root, 'dist', 'cli', 'bin.js'), 'new', app, '--with', 'vue']);
  const { createServer } = await import('vite');
  const server = await createServer({ root: app, logLevel: 'error', server: { port: 0, host: '127.0.0.1' } });
  await server.listen();
  const browser = await chromium.launch(launchOptions(findChromium()));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(server.resolvedUrls.local[0]);
  await inspectorOf(page).locator('.say').waitFor();
  for (const vessel of ['Wren Sound', 'Corran Bell', 'Far Lodestar']) {
    await page.getByLabel('Vessel').fill(vessel);
    await page.getByRole('button', { name: 'Plan a visit' }).click();
  }
  await page.locator('li', { hasText: 'Corran Bell' }).getByText('Cancel').click();
  await inspectorOf(page).locator('.say .sentence').filter({ hasText: 'cancelled the visit of Corran Bell' }).waitFor();
  await page.waitForTimeout(600);
  await page.screenshot({ path: shot('new') });
  await browser.close();
  await server.close();
  rmSync(app, { recursive: true, force: true });
}

/** A picture of a terminal in which a command has run. */
/** The four small examples, in one picture. */
async function small() {
  const servers = [];
  const addresses = [];
  for (const name of ['tides', 'crew', 'pilots', 'gauge']) {
    const app = join(root, 'examples', name);
    if (name === 'crew' && !existsSync(join(app, 'node_modules')))
      spawnSync('npm', ['install', '--no-audit', '--no-fund', '--no-package-lock'], { cwd: app });
    const vite = join(name === 'crew' ? app : root, 'node_modules', 'vite', 'bin', 'vite.js');
    const server = spawn(process.execPath, [vite, '--host', '127.0.0.1', '--port', '0'], {
      cwd: app,
      env: { ...process.env, NO_COLOR: '1' },
    });
    servers.push(server);
    let printed = '';
    while (!/http:\/\/127\S+/.test(printed)) printed += String(await once(server.stdout, 'data'));
    addresses.push(/http:\/\/127\S+/.exec(printed)[0]);
  }
  const browser = await chromium.launch(launchOptions(findChromium()));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const frames = addresses.map((address) => `<iframe src="${address}"></iframe>`).join('');
  await page.setContent(`<style>
    body { margin: 0; display: grid; grid-template-columns: 640px 640px; grid-auto-rows: 400px; background: #8884; }
    iframe { width: 1280px; height: 800px; border: 0; scale: 0.5; transform-origin: 0 0; margin: 0 -640px -400px 0; clip-path: inset(1px); }
  </style>${frames}`);
  const [tides, crew, pilots, gauge] = page.frames().slice(1);
  await tides.getByRole('heading', { name: '4 clashes' }).waitFor();
  await crew.getByLabel('Badge').fill('P-104');
  await crew.getByLabel('Name').fill('Bram Holt');
  await crew.getByLabel('Role').selectOption('pilot');
  await crew.getByRole('button', { name: 'Sign on' }).evaluate((button) => button.click());
  await gauge.getByLabel('Remark').fill('Swell from the south');
  await gauge.getByRole('button', { name: 'Note it' }).evaluate((button) => button.click());
  await page.waitForTimeout(15_000);
  await gauge.getByRole('button', { name: 'Cut the line' }).evaluate((button) => button.click());
  await page.waitForTimeout(10_000);
  await pilots.getByRole('button', { name: 'Move Marram' }).focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await pilots.getByText('Marram must be').waitFor();
  await pilots.getByRole('button', { name: 'Move Ostrel' }).focus();
  await page.keyboard.press('ArrowUp');
  await page.waitForTimeout(400);
  await page.screenshot({ path: shot('examples') });
  await browser.close();
  for (const server of servers) server.kill();
}

function terminal(name, command, cwd) {
  const script = `
    xterm -geometry 128x40+0+0 -b 8 -bw 0 -fa "DejaVu Sans Mono" -fs 12 -bg "#101418" -fg "#e6e6e6" +sb -e bash -c "$CMD; printf '\\033[?25l'; touch $OUT.done; sleep 60" &
    pid=$!; for i in $(seq 300); do [ -e "$OUT.done" ] && break; sleep 0.2; done; sleep 1
    import -window root "$OUT"; kill $pid; rm -f "$OUT.done"`;
  const { status, stderr } = spawnSync(
    'xvfb-run',
    ['-a', '-s', '-screen 0 1280x800x24 -nolisten tcp', 'bash', '-c', script],
    {
      cwd,
      encoding: 'utf8',
      env: { ...process.env, CMD: command, OUT: shot(name), FORCE_COLOR: '1' },
    },
  );
  if (status !== 0 && status !== 143) tell(`${name}: ${stderr}`);
}

// `npm run shots -- pages` leaves the pictures of terminals as they are, `npm run shots -- terminals` those of pages.
if (process.argv[2] !== 'terminals') {
  await pages(docked);
  await pages(kept);
  await inspected(recordings);
  await created();
  await small();
}
if (process.argv[2] === 'pages') process.exit(0);
const cwd = mkdtempSync(join(tmpdir(), 'floe-shots-'));
const floe = `node ${join(root, 'dist', 'cli', 'bin.js')}`;
const prompt = (words, space = '') => `printf '${space}\\033[2m$\\033[0m ${words}\\n'`;
terminal(
  'demo-headless',
  `${prompt('npm run demo -- --headless')}; node ${join(root, 'examples', 'harbour', 'dist', 'demo.js')} --headless`,
  cwd,
);
terminal(
  'steps',
  `${prompt('floe steps harbour-shift.jsonl | head -38')}; ${floe} steps harbour-shift.jsonl 2>/dev/null | head -38`,
  cwd,
);
const gap = '\\n';
terminal(
  'step',
  [
    `${prompt('floe steps harbour-shift.jsonl --type port.movedOn port.berthAssigned log.noteWritten')}; ${floe} steps harbour-shift.jsonl --type port.movedOn port.berthAssigned log.noteWritten`,
    `${prompt('floe step harbour-shift.jsonl 18', gap)}; ${floe} step harbour-shift.jsonl 18`,
    `${prompt('floe step harbour-shift.jsonl 33', gap)}; ${floe} step harbour-shift.jsonl 33`,
  ].join('; '),
  cwd,
);
terminal(
  'history',
  [
    `${prompt('floe steps harbour-shift.jsonl --store log address')}; ${floe} steps harbour-shift.jsonl --store log address`,
    `${prompt('floe history harbour-shift.jsonl --path /port/visit/v0225/phase', gap)}; ${floe} history harbour-shift.jsonl --path /port/visit/v0225/phase`,
    `${prompt('floe changes harbour-shift.jsonl --from 30 --to 33', gap)}; ${floe} changes harbour-shift.jsonl --from 30 --to 33`,
    `${prompt('floe state harbour-shift.jsonl --step 33 --path /log', gap)}; ${floe} state harbour-shift.jsonl --step 33 --path /log`,
  ].join('; '),
  cwd,
);
const model = join(root, 'examples', 'harbour', 'dist', 'src', 'model', 'index.js');
writeFileSync(join(cwd, 'changed.mjs'), changedModel(model));
terminal(
  'replay',
  [
    `${prompt('floe replay harbour-shift.jsonl --model model/index.js')}; ${floe} replay harbour-shift.jsonl --model ${model}`,
    `${prompt('# notes are kept in capitals now', gap)}`,
    `${prompt('floe replay harbour-shift.jsonl --model model/index.js')}; ${floe} replay harbour-shift.jsonl --model changed.mjs`,
    `${prompt('floe write-test harbour-shift.jsonl --from 33 --to 34 --model ./model/index.js --out note.test.js', gap)}; ${floe} write-test harbour-shift.jsonl --from 33 --to 34 --model ${model} --out note.test.js; grep -v ^import note.test.js`,
  ].join('; '),
  cwd,
);
const examples = join(root, 'examples', 'harbour', 'dist', 'examples.js');
const race = join(root, 'examples', 'harbour', 'dist', 'race.js');
const search = 'explore --steps 7 --first --save way.jsonl --model';
terminal('explore', `${prompt(`floe ${search} race.js`)}; ${floe} ${search} ${race}`, cwd);
terminal(
  'graph',
  `${prompt('floe graph --model examples.js | head -38')}; ${floe} graph --model ${examples} 2>/dev/null | head -38`,
  cwd,
);
for (const version of [1, 2, 3]) {
  const from = join(root, 'tests', 'fixtures', 'stored', `version-${version}`);
  cpSync(from, join(cwd, `version-${version}`), { recursive: true });
}
const damaged = join(cwd, 'version-3', 'visits.jsonl');
writeFileSync(damaged, readFileSync(damaged, 'utf8').replace('cancelled', 'cancalled'));
terminal(
  'stored',
  [
    `${prompt('floe stored version-1')}; ${floe} stored version-1`,
    `${prompt('floe stored version-1 --model model/index.js', gap)}; ${floe} stored version-1 --model ${model}`,
    `${prompt('floe stored version-1 --model model/index.js --store visits', gap)}; ${floe} stored version-1 --model ${model} --store visits`,
    `${prompt('# a byte on the disk has become another one', gap)}`,
    `${prompt('floe stored version-3')}; ${floe} stored version-3`,
    `${prompt('floe stored version-3 --mend', gap)}; ${floe} stored version-3 --mend`,
  ].join('; '),
  cwd,
);
