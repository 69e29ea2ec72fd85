// The address bar shows the place that is shown; a look at another time adds no entry to the history.
import { Fault } from '../planned.js';
import type { Session } from '../session.js';

export function checkAddress({ address, bar, runtime }: Session): void {
  if (!address) return;
  const [shown, expected] = [bar.now(), address.hrefOf(runtime.read(address) as never)];
  if (shown !== expected) throw new Fault('address', `${shown} is shown instead of ${expected}`);
}
