// The actions that interceptors hold in a story: whether each goes on is chosen.
import type { AnyAction, Interceptor } from '../../core/index.js';

/** An action that an interceptor holds. */
export interface HeldAction {
  readonly number: number;
  readonly action: AnyAction;
  readonly decide: (proceeds: boolean) => void;
}

export class HeldActions {
  readonly all = new Map<number, HeldAction>();
  private count = 0;

  /** An interceptor of which it is noticed that it neither lets an action go on nor stops it. */
  holding(interceptor: Interceptor): Interceptor {
    return (action, tools) => {
      let isDecided = false;
      let number = 0;
      const decided = (): boolean => {
        const was = isDecided;
        isDecided = true;
        this.all.delete(number);
        return was;
      };
      const returned = interceptor(action, {
        ...tools,
        // What it decides after the search has decided comes too late.
        proceed: (passed) => (decided() ? 'stopped' : tools.proceed(passed)),
        stop(reason) {
          if (!decided()) tools.stop(reason);
        },
      });
      // It may have decided meanwhile.
      if (isDecided as boolean) return returned;
      number = ++this.count;
      const decide = (proceeds: boolean): void => {
        if (decided()) return;
        if (proceeds) tools.proceed();
        else tools.stop('not wanted');
      };
      this.all.set(number, { number, action, decide });
      return returned;
    };
  }
}
