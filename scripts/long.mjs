// `npm run test:long`: the property-based tests with 10,000 programs each, and all orders of events. Takes long; `FLOE_RUNS` says another number.
import { runTool } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
process.exit(
  runTool('jest/bin/jest.js', ['--testTimeout', '7200000', '-i', 'property|interleavings|interruptions'], {
    env: { NODE_OPTIONS: '--experimental-vm-modules --no-warnings', FLOE_RUNS: process.env.FLOE_RUNS ?? '10000' },
  }),
);
