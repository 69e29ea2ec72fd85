/* global process */
// All suites of a mutation run in one file: what they share is then loaded once for each mutant.
for (const suite of (process.env.FLOE_SUITES ?? 'core/runtime').split(',')) require(`../tests/${suite}.test.ts`);
