// `npm run bench`: sets up, builds, and measures with production checks.
import { join } from 'node:path';
import { build } from './build.mjs';
import { root, run } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
if (!build()) process.exit(1);
process.exit(
  run(process.execPath, [join(root, 'bench', 'index.mjs'), ...process.argv.slice(2)], {
    env: { NODE_ENV: 'production' },
  }),
);
