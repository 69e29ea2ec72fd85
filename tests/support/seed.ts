// Two runs of `npm test` try the same random programs, so that a run says the same of the same code. The long modes try new
// ones each time; `FLOE_SEED` repeats one of them.
import fc from 'fast-check';
import { longMode } from './runs.js';

const { FLOE_SEED } = process.env;
if (FLOE_SEED !== undefined || !longMode)
  fc.configureGlobal({ ...fc.readConfigureGlobal(), seed: Number(FLOE_SEED ?? 20_261_128) });
