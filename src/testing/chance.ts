/** Numbers from 0 up to 1 by a 32-bit linear congruential generator (Numerical Recipes' constants). */
export function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}
