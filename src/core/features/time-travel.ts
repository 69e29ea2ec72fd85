// Time travel: the screen shows a past step, while the live line of transitions goes on in a view of its own.
import { wrongPlace } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { difference } from '../data/diff.js';
import { applyPatch } from '../data/patch.js';
import { hasOwn, keeping } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { Extensible, Feature } from '../kernel/feature.js';
import type { Hooks } from '../kernel/hooks.js';
import { arriveAt, isShown, leaveLine, lineChanged } from '../kernel/line.js';
import type { Cell, CellChange } from '../kernel/cell.js';
import type { RunNote, Transition } from '../kernel/transition.js';
import { View } from '../kernel/view.js';
import { stated } from '../kernel/stating.js';
import { STILL } from '../kernel/options.js';
import { endLostRuns } from './tasks/lost-runs.js';
import { isStatuses, statusesNamed } from './tasks/statuses.js';

type States = Readonly<Record<string, unknown>>;

/** What a trace installs. */
export const timeTravel: Feature<TimeTravel> = {
  name: 'time travel',
  install: (kernel) => new TimeTravel(kernel),
};

export class TimeTravel implements Hooks {
  isMoving = false;
  /** What was read of storages while the past is shown: it is there on a branch that begins in this past, too. */
  private readonly read = new Map<Cell, { readonly state: unknown; readonly transition: Transition | undefined }>();

  constructor(private readonly kernel: Extensible) {}

  /**
   * Shows states of another time, without a transition, and notifies watchers.
   * @param isLive whether they are the live states
   * @param liveStates the live states from now on, where these are not shown and others than before
   * @throws FLOE_WRONG_PLACE in a handler, a selector, a transaction or a batch, and FLOE_CLOSED after the end
   */
  restore(states: States, isLive: boolean, liveStates?: States): void {
    this.mayMove();
    const { kernel } = this;
    const { views } = kernel;
    if (views.isUnseen) throw wrongPlace(MOVING, 'what happens unseen at the live end');
    // Statuses of tasks that have not run in this runtime.
    for (const [name, state] of Object.entries(liveStates ?? states))
      if (isStatuses(name, state) && !kernel.cells.has(name)) kernel.joining.add(statusesNamed(name), state, true);
    if (isLive || liveStates) this.read.clear();
    if (!isLive) this.part();
    if (!isLive && liveStates) kernel.views.atLive(() => this.put(liveStates));
    this.put(states, isLive);
    if (isLive) this.join();
    // Notifies of what is shown, and of nothing that watchers do because of it.
    const { recorder } = kernel;
    if (recorder) recorder.latest = undefined;
    this.isMoving = true;
    try {
      recorder?.each((listener) => listener.travelled?.(isLive));
      kernel.notifications.notify();
    } finally {
      this.isMoving = false;
    }
  }

  leavePast(): void {
    const { kernel } = this;
    if (!kernel.views.showsPast || this.isMoving) return;
    leaveLine(kernel, (transition) => isShown(kernel, transition), 'branch');
    this.join();
    kernel.recorder?.each((listener) => listener.branched?.());
    this.takeOverRead();
    arriveAt(kernel, 'branch', []);
  }

  onTopOf(read: unknown, before: unknown, after: unknown): unknown {
    try {
      return applyPatch(read, difference(before, after).changes);
    } catch {
      // It does not fit: what was stored counts.
      return read;
    }
  }

  readUnseen(cell: Cell, state: unknown, transition: Transition | undefined): void {
    this.read.set(cell, { state, transition });
  }

  /** The transaction that begins the branch may be rolled back: what is stored stays there, as a store that joins does. */
  private takeOverRead(): void {
    const { kernel, read } = this;
    const view = kernel.views.current;
    const changes: CellChange[] = [];
    for (const [cell, { state, transition }] of read) {
      // It was shown already.
      if (transition && isShown(kernel, transition)) continue;
      const after = keeping(view.states[cell.index], state);
      if (Object.is(after, view.states[cell.index])) continue;
      // A store that is still to join this line joins it with what was read.
      if (view.known[cell.index]) changes.push(view.change(cell, after));
      stated(kernel, cell, after, { joins: true });
      view.commit(cell.index, after, undefined);
    }
    read.clear();
    if (changes.length === 0) return;
    kernel.recorder?.fact('rehydrated', changes, { by: 'storage' });
    kernel.notifications.notify();
  }

  /** Stores that joined on another line are there as well: they join this one as they are. */
  private joinLine(): void {
    const { cells, views, recorder } = this.kernel;
    const { known, states } = views.live;
    const joining = Array.from(cells.values()).filter(({ store, index }) => !store.internal && !known[index]);
    if (!recorder || joining.length === 0) return;
    for (const { index } of joining) known[index] = true;
    const changed = joining.map(({ store, index }) => ({
      store,
      before: undefined,
      after: states[index],
      joined: true,
    }));
    recorder.fact('joined', changed, { by: 'runtime' });
  }

  /** From now on the screen may show something else: the live states get a view of their own, without watchers. */
  private part(): void {
    const { views, cells } = this.kernel;
    const { screen } = views;
    if (views.live !== screen) return;
    views.live = new View(views.ground);
    for (const cell of cells.values()) views.live.add(cell, screen.states[cell.index], screen.known[cell.index]);
  }

  /** What is shown is live. */
  private join(): void {
    const { views } = this.kernel;
    views.live = views.screen;
    lineChanged(this.kernel);
  }

  /** @throws where the cursor cannot move */
  mayMove(): void {
    const { kernel } = this;
    const { notifications, transactions } = kernel;
    kernel.open(MOVING);
    kernel.forbidInside(MOVING);
    if (notifications.isHeld && !notifications.isNotifying)
      throw wrongPlace(MOVING, transactions.current ? 'atomic' : 'batch');
  }

  private put(states: States, isLive = false): void {
    const { views } = this.kernel;
    const view = views.current;
    for (const [name, { index, store }] of this.kernel.cells) {
      const known = hasOwn(states, name);
      view.known[index] = known;
      // What joined later is shown as it is; but of a task that had not yet run there is nothing to show.
      if (!known && !store.internal) continue;
      // What is equal stays the same object, and notifies no watcher. Back at the live end, all is the very object that it
      // was: an undo knows the items of lists by these.
      const live = keeping(views.live.states[index], known ? states[name] : store.begin());
      const state = isLive ? live : keeping(view.states[index], live);
      if (Object.is(state, view.states[index])) continue;
      if (DEV) guardData(state, { at: '', what: `The restored state of '${name}'` });
      view.commit(index, state, undefined);
    }
  }

  /**
   * Another line is live now: records the end of all runs that the statuses on it claim, and that are not under way.
   * @param claimed the runs that were left under way on it, where they are known
   */
  arrived(reason: 'branch' | 'import', claimed: readonly RunNote[]): void {
    const { kernel } = this;
    kernel.views.atLive(() => {
      this.joinLine();
      // A tool that looks into a recording adds nothing to it.
      if (kernel.options[STILL] !== 'as recorded') endLostRuns(kernel, reason, claimed);
    });
  }
}

const MOVING = 'moving in time';
