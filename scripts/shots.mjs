// `npm run shots`: makes the pictures in docs/screenshots/ anew, from the demo data. The pages need Chromium; the
// terminal's pictures need Debian's xvfb, xterm, imagemagick and fonts-dejavu.
import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { changedModel } from './changed-model.mjs';
import { findChromium, launchOptions } from './chromium.mjs';
import { root, tell } from './run.mjs';

const { startOffice } = await import('../dist/demo/office/server.js');
const folder = join(root, 'docs', 'screenshots');
const shot = (name) => join(folder, `${name}.png`);

async function pages() {
  const office = await startOffice({ port: 0, page: join(root, 'dist', 'demo', 'page') });
  const browser = await chromium.launch(launchOptions(findChromium()));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(office.address);
  await page.locator('tr.row').first().waitFor();
  await page.getByText(/^Expected \d+$/).click();
  await page.getByText('Corran Bell').first().click();
  await page.getByLabel('Log note for the next watch').fill('Shore power at N1 is out until noon.');
  await page.locator('tr.row-picked').getByRole('button', { name: 'Bring alongside' }).click();
  await page.getByText(/^Alongside \d+$/).click();
  await page.getByText(/^Expected \d+$/).click();
  await page.waitForTimeout(400);
  await page.screenshot({ path: shot('harbour') });
  await page.locator('tr.row').last().click();
  await page.getByLabel('Assign a berth').selectOption('N1');
  await page.getByRole('alert', { name: 'Notice' }).waitFor();
  await page.screenshot({ path: shot('harbour-refused') });
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Back', exact: true }).click();
  await page.waitForTimeout(400);
  await page.screenshot({ path: shot('harbour-past') });
  await page.getByRole('button', { name: 'Live', exact: true }).click();
  // A name that the office could not be told.
  await page.context().route('**/office/vessels/**', (route) => route.abort());
  await page.getByRole('button', { name: 'Rename' }).click();
  await page.getByLabel('Name of the vessel').fill('Grey Heron');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Kept here, 1 unsent' }).click();
  await page.getByRole('region', { name: 'Stored for unsent' }).waitFor();
  await page.waitForTimeout(600);
  await page.screenshot({ path: shot('harbour-kept') });
  await browser.close();
  await office.close();
}

/** A picture of a terminal in which a command has run. */
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

await pages();
const cwd = mkdtempSync(join(tmpdir(), 'floe-shots-'));
const floe = `node ${join(root, 'dist', 'cli', 'bin.js')}`;
const prompt = (words, space = '') => `printf '${space}\\033[2m$\\033[0m ${words}\\n'`;
terminal('demo-headless', `${prompt('floe demo --headless')}; ${floe} demo --headless`, cwd);
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
    `${prompt('floe history harbour-shift.jsonl /port/visit/v0225/phase', gap)}; ${floe} history harbour-shift.jsonl /port/visit/v0225/phase`,
    `${prompt('floe changes harbour-shift.jsonl 30 33', gap)}; ${floe} changes harbour-shift.jsonl 30 33`,
    `${prompt('floe state harbour-shift.jsonl /log --at 33', gap)}; ${floe} state harbour-shift.jsonl /log --at 33`,
  ].join('; '),
  cwd,
);
const model = join(root, 'dist', 'demo', 'src', 'model', 'index.js');
writeFileSync(join(cwd, 'changed.mjs'), changedModel(model));
terminal(
  'replay',
  [
    `${prompt('floe replay harbour-shift.jsonl --model model/index.js')}; ${floe} replay harbour-shift.jsonl --model ${model}`,
    `${prompt('# notes are kept in capitals now', gap)}`,
    `${prompt('floe replay harbour-shift.jsonl --model model/index.js')}; ${floe} replay harbour-shift.jsonl --model changed.mjs`,
    `${prompt('floe write-test harbour-shift.jsonl --from 33 --to 34 --model ../model/index.js --out note.test.js', gap)}; ${floe} write-test harbour-shift.jsonl --from 33 --to 34 --model ../model/index.js --out note.test.js; cat note.test.js`,
  ].join('; '),
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
