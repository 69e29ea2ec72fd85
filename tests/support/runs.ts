/** How many random programs a property-based test runs. The long mode asks for more: `FLOE_RUNS=10000`. */
export const runs = (usual: number): number => Number(process.env.FLOE_RUNS ?? usual);
