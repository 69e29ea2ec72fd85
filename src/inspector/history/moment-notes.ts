// The moments of a history: what one interaction led to, or one step without a recorded cause.
import type { Interaction } from '../../trace/index.js';
import type { TraceSource } from '../../trace/internal.js';
import { firstIndex } from './step-columns.js';

export interface MomentNote {
  /** Positions of its first and its last step; of one without steps, the position of the next step, and the one before. */
  first: number;
  last: number;
  steps: number;
  /** Epoch milliseconds. */
  readonly time: number;
  readonly by: 'user' | 'task' | 'code' | 'other';
  readonly interaction: Interaction | undefined;
}

/** What is known of a moment whose steps are folded: its number is taken. */
const FOLDED: MomentNote = Object.freeze({
  ...{ first: -1, last: -1, steps: 0, time: 0 },
  ...{ by: 'other' as const, interaction: undefined },
});

export class MomentNotes {
  readonly list: MomentNote[] = [];
  /** So many of the first were looked at when moments were forgotten. */
  private forgotten = 0;
  private readonly byInteraction = new Map<number, number>();
  /** The number of the last interaction that was looked at: those without steps become moments too. */
  private lastInteraction = 0;

  constructor(private readonly source: TraceSource) {}

  /** The moment of an interaction; a new one where it has none. */
  ofInteraction(interaction: Interaction, position: number): number {
    const known = this.byInteraction.get(interaction.id);
    if (known !== undefined) return known;
    const newest = interaction.typing === undefined ? -1 : this.newestOfUser;
    const isSame = newest >= 0 && this.list[newest].interaction?.typing === interaction.typing;
    this.byInteraction.set(interaction.id, isSame ? newest : this.list.length);
    return isSame ? newest : this.begin(position, 'user', interaction);
  }

  /** @param of the interaction, or else when the step was */
  begin(first: number, by: MomentNote['by'], of: Interaction | number): number {
    const [time, interaction] = typeof of === 'number' ? [of, undefined] : [of.time, of];
    return this.list.push({ first, last: first - 1, steps: 0, time, by, interaction }) - 1;
  }

  /** Forgets the moments that ended before a position; their numbers stay. */
  forget(before: number): void {
    const next = firstIndex(this.list, ({ first, last }) => Math.max(first, last) >= before);
    for (; this.forgotten < next; this.forgotten++)
      if (Math.max(this.list[this.forgotten].first, this.list[this.forgotten].last) < before)
        this.list[this.forgotten] = FOLDED;
    for (const [id, moment] of this.byInteraction) if (this.list[moment] === FOLDED) this.byInteraction.delete(id);
  }

  /** Forgets the moments that begin at a position or after it. */
  cut(from: number, shorten: (moment: MomentNote) => void): void {
    let gone = this.list.length;
    for (let i = this.list.length - 1; i >= 0; i--) {
      const moment = this.list[i];
      if (moment.last < from && moment.first < from) continue;
      if (moment.first >= from) {
        if (gone === i + 1) gone = i;
        continue;
      }
      shorten(moment);
    }
    for (const [id, moment] of this.byInteraction) {
      if (moment < gone) continue;
      this.byInteraction.delete(id);
      this.lastInteraction = Math.min(this.lastInteraction, id - 1);
    }
    this.list.length = gone;
    this.forgotten = Math.min(this.forgotten, gone);
  }

  /** The interaction during which a step was recorded. */
  interactionAt(seq: number): Interaction | undefined {
    const all = this.source.interactions;
    const low = firstIndex(all, ({ from }) => from > seq);
    // Some that dispatched nothing may have begun before the same step.
    for (let i = low - 1; i >= 0 && all[i].from + Math.max(all[i].steps, 1) > seq; i--)
      if (all[i].steps > 0 && all[i].from + all[i].steps > seq) return all[i];
    return undefined;
  }

  /** Interactions that dispatched nothing are moments too. */
  addEmpty(seq: number, position: number): void {
    const all = this.source.interactions;
    if (all.length === 0 || all[all.length - 1].id <= this.lastInteraction) return;
    const from = firstIndex(all, ({ id }) => id > this.lastInteraction);
    for (let i = from; i < all.length && all[i].from <= seq; i++) {
      const interaction = all[i];
      this.lastInteraction = interaction.id;
      if (interaction.steps === 0) this.ofInteraction(interaction, position);
    }
  }

  /** The newest moment that a person began; where there is none, the newest one. */
  get newest(): number {
    const { newestOfUser } = this;
    return newestOfUser < 0 ? this.list.length - 1 : newestOfUser;
  }

  private get newestOfUser(): number {
    for (let i = this.list.length - 1; i >= 0; i--) if (this.list[i].by === 'user') return i;
    return -1;
  }
}
