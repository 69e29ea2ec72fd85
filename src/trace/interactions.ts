// What the user did while a tool observed the page, and which steps were recorded meanwhile.
import type { Interaction } from './step.js';

/** How an interaction ended. */
export interface InteractionEnd {
  /** The page looks different since it began. Kept only where no step was recorded meanwhile. Default: `false`. */
  readonly changedPage?: boolean;
}

/** How an interaction is noted. */
export interface NotedInteraction extends Pick<Interaction, 'kind' | 'name' | 'role' | 'key' | 'typing'> {
  /** Forgets it when no step was recorded meanwhile: for what may be nothing to the application. Default: `false`. */
  readonly onlyWithSteps?: boolean;
}

export class Interactions {
  private done: Interaction[] = [];
  private open: Interaction | undefined;
  private needsSteps = false;
  private lastId = 0;

  /**
   * @param most as many are kept; the oldest go first
   * @param ended is given each when it has ended
   */
  constructor(
    private readonly most: number,
    private readonly ended: (interaction: Interaction) => void,
  ) {}

  /** Begins one, and ends the one that is open. Returns a function that ends it, and gives whether it was open. */
  begin(
    { onlyWithSteps = false, ...what }: NotedInteraction,
    time: number,
    next: number,
  ): (next: number, how: InteractionEnd) => boolean {
    this.end(next);
    this.needsSteps = onlyWithSteps;
    const begun: Interaction = { id: ++this.lastId, time, ...what, from: next, steps: 0 };
    this.open = begun;
    return (then, how) => {
      if (this.open !== begun) return false;
      this.end(then, how);
      return true;
    };
  }

  private end(next: number, { changedPage = false }: InteractionEnd = {}): void {
    const { open } = this;
    if (!open) return;
    this.open = undefined;
    if (this.needsSteps && next === open.from) return;
    const steps = next - open.from;
    const ended: Interaction = { ...open, steps, ...(changedPage && steps === 0 && { changedPage: true }) };
    this.done.push(ended);
    if (this.done.length > this.most) this.done.shift();
    this.ended(ended);
  }

  /** All that are kept; the open one holds the steps before the next one. */
  list(next: number): readonly Interaction[] {
    const { open } = this;
    if (open && this.needsSteps && next === open.from) return this.done;
    return open ? [...this.done, { ...open, steps: next - open.from }] : this.done;
  }

  /** Forgets those of which no step is kept. */
  forget(folded: number): void {
    const kept = this.done.findIndex(({ from, steps }) => from + Math.max(steps - 1, 0) > folded);
    this.done.splice(0, kept < 0 ? this.done.length : kept);
  }

  /** Takes those of a file in place of these. */
  load(interactions: readonly Interaction[]): void {
    this.open = undefined;
    this.done = [...interactions];
    this.lastId = interactions.reduce((most, { id }) => Math.max(most, id), 0);
  }
}
