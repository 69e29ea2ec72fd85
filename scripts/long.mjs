// `npm run test:long`: the property-based tests with 10,000 programs each, all orders of events, storms of tabs
// in Chromium, and the package with every bundler and compiler. Takes long; `FLOE_RUNS` says another number, `FLOE_STORM` how
// many seconds each storm lasts.
import { runTool } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
process.exit(
  runTool(
    'jest/bin/jest.js',
    [
      '--testTimeout',
      '7200000',
      '-i',
      'property|interleavings|interruptions|storms|meeting|installed|explore|browser/new',
    ],
    {
      env: {
        NODE_OPTIONS: '--experimental-vm-modules --no-warnings',
        FLOE_RUNS: process.env.FLOE_RUNS ?? '10000',
        FLOE_STORM: process.env.FLOE_STORM ?? '60',
      },
    },
  ),
);
