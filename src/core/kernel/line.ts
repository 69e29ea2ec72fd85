// The line of transitions that is live, and what changes when it becomes another one.
import type { Extensible } from './feature.js';
import type { RunNote, Transition } from './transition.js';

/** Another line is about to be live: work that did not begin on it ends. */
export function leaveLine(
  kernel: Extensible,
  stays: (transition: Transition) => boolean,
  reason: 'branch' | 'import',
): void {
  kernel.features.each((hooks) => hooks.leave?.(stays, reason));
}

/** The live line is another one from now on: it is what is shown. */
export function lineChanged(kernel: Extensible): void {
  kernel.features.each((hooks) => hooks.lineChanged?.());
}

/** What the line claims to be under way ends. @param claimed the runs that were left under way on it, where they are known */
export function arriveAt(kernel: Extensible, reason: 'branch' | 'import', claimed: readonly RunNote[]): void {
  kernel.features.each((hooks) => hooks.arrived?.(reason, claimed));
}

/** Whether a transition is on the line that is shown, at the cursor or before it, and counts. */
export const isShown = ({ recorder }: Extensible, transition: Transition | undefined): boolean =>
  transition !== undefined && (recorder?.listeners ?? []).every((listener) => listener.isShown?.(transition) ?? true);
