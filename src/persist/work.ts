// One code for storages that answer at once and for those that answer later: work is written as a generator that yields
// what it waits for, and runs to its end at once as long as nothing it waits for is a promise.
import { isThenable } from '../core/internal.js';
import type { MaybeAsync } from './area.js';

/** Work that may have to wait. */
export type AreaWork<T> = Generator<MaybeAsync<unknown>, T, unknown>;

/** Waits inside work: `const text = yield* wait(area.read(key))`. */
export function* wait<T>(value: MaybeAsync<T>): AreaWork<T> {
  return (yield value) as T;
}

/** Waits for several at the same time. */
export function* waitAll<T>(values: readonly MaybeAsync<T>[]): AreaWork<readonly T[]> {
  return values.some(isThenable) ? yield* wait(Promise.all(values)) : (values as readonly T[]);
}

/** Does the work. The result is there at once unless something had to be waited for. */
export function perform<T>(work: AreaWork<T>): MaybeAsync<T> {
  const go = (how: 'next' | 'throw', value: unknown): MaybeAsync<T> => {
    for (;;) {
      const step = work[how](value);
      if (step.done) return step.value;
      if (isThenable(step.value))
        return step.value.then(
          (given) => go('next', given),
          (error: unknown) => go('throw', error),
        );
      [how, value] = ['next', step.value];
    }
  };
  return go('next', undefined);
}
