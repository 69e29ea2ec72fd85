import fc from 'fast-check';

// Half of the usual number: `npm test` has nine minutes on two cores.
const { FLOE_RUNS, FLOE_SHARE = '0.5', FLOE_FIRST } = process.env;

// Faults put in on purpose: whether a program fails is asked, not which is the shortest.
if (FLOE_FIRST) fc.configureGlobal({ endOnFailure: true });

/**
 * How many random programs a property-based test runs. The long mode asks for more, `FLOE_RUNS=10000`; mutation testing
 * for a share of the usual number, `FLOE_SHARE=0.1`.
 */
export const runs = (usual: number): number => Number(FLOE_RUNS ?? Math.ceil(usual * Number(FLOE_SHARE)));

/** The long mode runs long programs only, 50 to 60 operations, and says how often each kind of operation came. */
export const longMode = Number(FLOE_RUNS ?? 0) >= 1000;
// The first programs are short otherwise, and a small share is nothing but first programs.
export const leastLength = longMode ? 50 : Number(FLOE_SHARE) < 0.5 ? 25 : 0;

/** The share of the usual number of cases that is run. */
export const share = Number(FLOE_SHARE);
