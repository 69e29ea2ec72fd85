// `npm run test:long`: an hour of the simulator, the property-based tests with 10,000 programs each, all orders of events, a
// thousand programs in Chromium's tabs, all tests in Chromium, all examples and lessons, four routers, the site, and the package with every
// bundler, compiler and setting of Jest.
// Takes long; `FLOE_SIMULATE` says another number of seconds, `FLOE_RUNS` of programs.
import { join } from 'node:path';
import { root, run, runTool } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
const seconds = process.env.FLOE_SIMULATE ?? '3600';
const simulated = run(process.execPath, [
  join(root, 'scripts', 'simulate.mjs'),
  '--seconds',
  seconds,
  '--all',
  '--table',
]);
process.exit(
  simulated ||
    runTool(
      'jest/bin/jest.js',
      [
        '--testTimeout',
        '7200000',
        '-i',
        'property|interleavings|interruptions|browser/|meeting|explore|docs/jest|persist/damage|trace/files|types/declarations',
      ],
      {
        env: {
          NODE_OPTIONS: '--experimental-vm-modules --no-warnings',
          FLOE_RUNS: process.env.FLOE_RUNS ?? '10000',
        },
      },
    ),
);
