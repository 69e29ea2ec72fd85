/** How many random programs a property-based test runs. The long mode asks for more: `FLOE_RUNS=10000`. */
export const runs = (usual: number): number => Number(process.env.FLOE_RUNS ?? usual);

/** The long mode runs long programs only, 50 to 60 operations, and says how often each kind of operation came. */
export const longMode = runs(0) >= 1000;
export const leastLength = longMode ? 50 : 0;
