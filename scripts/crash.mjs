// `npm run test:crash`: kills a process that writes its state, again and again at random moments (SIGKILL), and opens what
// it left: it must be a state that was, and nothing that `flush()` acknowledged may be missing. FLOE_KILLS says how often.
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { spawn } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createRuntime } from 'floe';
import { fileStorage } from 'floe/persist/node';
import { isStateAfter, rows } from './crash-model.mjs';

const kills = Number(process.env.FLOE_KILLS ?? 500);
const beside = (name) => fileURLToPath(new URL(name, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'floe-crash-'));
const counts = { kills: 0, torn: 0, compactions: 0, changes: 0, wrong: 0, lost: 0, damaged: 0 };

/** Runs the writer until it is killed; gives the last number that it was told is stored. */
function killed() {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, ['--import', beside('slow-disk.mjs'), beside('crash-writer.mjs'), folder], {
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let reported = '';
    child.stdout.on('data', (text) => {
      if (reported === '') setTimeout(() => child.kill('SIGKILL'), 5 + Math.random() * 250);
      reported += text;
    });
    child.on('error', reject);
    child.on('exit', (code) => {
      if (code !== null) return reject(new Error(`the writer ended by itself (${code}): ${reported}`));
      const numbers = [...reported.matchAll(/^(?:begun|stored) (\d+)\n/gm)].map(([, n]) => Number(n));
      resolve(Math.max(0, ...numbers));
    });
  });
}

for (let i = 0; i < kills; i++) {
  const acknowledged = await killed();
  counts.kills++;
  if (existsSync(join(folder, 'rows.jsonl.new'))) counts.compactions++;
  const problems = [];
  const runtime = createRuntime({
    stores: [rows],
    storage: fileStorage({ folder, writeAfter: Infinity }),
    onProblem: ({ error }) => problems.push(error.code),
  });
  const state = runtime.read(rows);
  if (problems.includes('FLOE_STORED_CUT_SHORT')) counts.torn++;
  if (problems.includes('FLOE_STORED_DAMAGED')) counts.damaged++;
  if (!isStateAfter(state)) counts.wrong++;
  if (state.n < acknowledged) counts.lost++;
  counts.changes = state.n;
  runtime.close();
  if (process.stderr.isTTY || i % 50 === 49) process.stderr.write(`${i + 1} of ${kills} kills\n`);
}
rmSync(folder, { recursive: true });
console.log(JSON.stringify(counts));
process.exitCode = counts.wrong + counts.lost + counts.damaged > 0 ? 1 : 0;
