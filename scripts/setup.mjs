// Installs the dependencies when they are missing or stale. Node's own modules only.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, runNpm, tell } from './run.mjs';

const stamp = join(root, 'node_modules', '.installed-for');
const wanted = () =>
  createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');

/** Installs what package-lock.json says, unless that is what is installed. */
export function setUp() {
  if (Number(process.versions.node.split('.')[0]) < 20) {
    tell(`Node.js 20 or newer is needed (found: ${process.versions.node}).`);
    process.exit(2);
  }
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted()) return;
  tell('Installing the dependencies (about a minute) ...');
  const status = runNpm(['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  if (status !== 0) {
    tell('The dependencies could not be installed; npm says why above.');
    process.exit(2);
  }
  writeFileSync(stamp, wanted());
}
