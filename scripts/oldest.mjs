// `npm run test:oldest`: the tests of the bindings with the oldest versions of the frameworks that Floe supports, in a copy of the
// last commit.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root, run, runNpm } from './run.mjs';

const ANGULAR = ['core', 'common', 'compiler', 'platform-browser'].map((name) => `@angular/${name}@20.0.0`);
const OLDEST = [
  'react@18.3.1',
  'react-dom@18.3.1',
  'vue@3.5.0',
  '@vue/server-renderer@3.5.0',
  'svelte@5.7.0',
  ...ANGULAR,
];

const cwd = mkdtempSync(join(tmpdir(), 'floe-oldest-'));
const steps = [
  () => run('git', ['clone', '--quiet', root, cwd]),
  () => runNpm(['ci', '--no-audit', '--no-fund', '--loglevel=error'], { cwd }),
  () => runNpm(['install', '--no-save', '--force', '--no-audit', '--no-fund', '--loglevel=error', ...OLDEST], { cwd }),
  () => runNpm(['run', '--silent', 'jest', '--', 'tests/bindings', '--testTimeout=60000'], { cwd }),
];
const failed = steps.some((step) => step() !== 0);
rmSync(cwd, { recursive: true, force: true });
process.exit(failed ? 1 : 0);
