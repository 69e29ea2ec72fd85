// Pieces of work that must not overlap, one after the other; at once where none has to wait.
import { isThenable } from '../core/internal.js';
import type { MaybeAsync } from './area.js';
import { perform, type AreaWork } from './work.js';

export class Turns {
  /** The last piece of work, while it is not over. */
  last: PromiseLike<unknown> | undefined;

  take<T>(work: () => AreaWork<T>): MaybeAsync<T> {
    const result: MaybeAsync<T> = this.last ? this.last.then(() => perform(work())) : perform(work());
    if (isThenable(result)) this.follow(result);
    return result;
  }

  private follow(work: PromiseLike<unknown>): void {
    const over = (): void => {
      if (this.last === settled) this.last = undefined;
    };
    const settled: PromiseLike<void> = work.then(over, over);
    this.last = settled;
  }
}
