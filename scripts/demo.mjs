// `npm run demo`: sets up, builds, and starts the harbour example with the given options.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { build } from './build.mjs';
import { root } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
if (!build()) process.exit(1);
const child = spawn(
  process.execPath,
  [join(root, 'examples', 'harbour', 'dist', 'demo.js'), ...process.argv.slice(2)],
  {
    stdio: 'inherit',
  },
);
// Ctrl+C reaches the child too: it closes, and so does this.
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 0));
