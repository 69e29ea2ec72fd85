import { isDeepStrictEqual } from 'node:util';

/** The value once it is the expected one; the last one when that takes longer than some milliseconds. */
export async function eventually<T>(look: () => Promise<T>, expected: T, limit = 10_000): Promise<T> {
  for (const end = Date.now() + limit; ;) {
    const value = await look();
    if (isDeepStrictEqual(value, expected) || Date.now() > end) return value;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Waits until something holds; the test's own time limit ends it. */
export async function until(holds: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await holds())) await new Promise((resolve) => setTimeout(resolve, 5));
}
