import { PackedStep, whole } from './packing.js';
import type { Step } from './step.js';
import { GrowingSum } from './summing.js';

/** The steps of one line of history, oldest first. Steps come at the end, and leave at the front. */
export class Line {
  private items: (Step | PackedStep | GrowingSum)[] = [];
  private head = 0;
  /** How many steps were taken away at its front: a position counts them, an index does not. */
  folds = 0;
  /** It is left for another one: the steps that its runs end with fold none away. */
  isLeft = false;
  /** The group of the last one that was taken away. */
  foldedGroup: number | undefined;

  get length(): number {
    return this.items.length - this.head;
  }

  /** The step at an index; negative ones and those beyond the end have none. */
  at(index: number): Step | undefined {
    const at = this.head + index;
    return index < 0 || at >= this.items.length ? undefined : this.whole(at);
  }
  /** The step at an index; one that is kept small stays so. */
  peek(index: number): Step | undefined {
    const at = this.head + index;
    return index < 0 || at >= this.items.length ? undefined : whole(this.items[at]);
  }
  get first(): Step | undefined {
    return this.at(0);
  }
  get last(): Step | undefined {
    return this.at(this.length - 1);
  }
  /** The number of the last step. */
  get lastSeq(): number | undefined {
    return this.length > 0 ? this.items[this.items.length - 1].seq : undefined;
  }
  get firstSeq(): number | undefined {
    return this.length > 0 ? this.items[this.head].seq : undefined;
  }

  /** The number of the step at an index. */
  seqAt(index: number): number | undefined {
    return index < 0 ? undefined : (this.items[this.head + index] as Step | undefined)?.seq;
  }
  /** The group of the step at an index. */
  groupAt(index: number): number | undefined {
    const item = index < 0 ? undefined : this.items[this.head + index];
    return item === undefined || item instanceof PackedStep || item instanceof GrowingSum ? undefined : item.group;
  }

  /** The indices of the first and of the last step that commit or roll back together with the one at an index. */
  startOfGroup(index: number): number {
    const group = this.groupAt(index);
    while (group !== undefined && this.groupAt(index - 1) === group) index--;
    return index;
  }
  endOfGroup(index: number): number {
    const group = this.groupAt(index);
    while (group !== undefined && this.groupAt(index + 1) === group) index++;
    return index;
  }

  /** Unpacks a step once, and caches the result. */
  private whole(at: number): Step {
    const item = this.items[at];
    const step = whole(item);
    // A sum goes on growing.
    if (!(item instanceof GrowingSum)) this.items[at] = step;
    return step;
  }

  push(step: Step | PackedStep | GrowingSum): void {
    this.items.push(step);
  }

  set(index: number, step: Step | PackedStep): void {
    this.items[this.head + index] = step;
  }

  /** Takes the oldest step away, and gives its number. Its place is given back only now and then: that costs as much as what is left. */
  shift(): number {
    this.foldedGroup = this.groupAt(0);
    const { seq } = this.items[this.head++];
    this.folds++;
    if (this.head > 1000 && this.head > this.length) {
      this.items = this.items.slice(this.head);
      this.head = 0;
    }
    return seq;
  }

  /** Takes all steps from an index on. */
  cut(index: number): Step[] {
    const steps = this.slice(index);
    this.items.length = this.head + index;
    return steps;
  }

  /** The index of a step, or -1. Numbers go up along a line. */
  indexOf(seq: number): number {
    const at = upTo(this.items, seq, this.head) - 1;
    return at >= this.head && this.items[at].seq === seq ? at - this.head : -1;
  }

  /** The steps as they are kept, from an index on. */
  kept(from: number): (Step | PackedStep)[] {
    return this.items.slice(this.head + from).map((item) => (item instanceof GrowingSum ? item.now : item));
  }

  slice(from = 0, to = this.length): Step[] {
    const steps: Step[] = [];
    for (let at = this.head + from; at < this.head + to; at++) steps.push(this.whole(at));
    return steps;
  }
}

/** How many of some things, which go up by number, have this number or a smaller one; those before `from` are known to. */
export function upTo(things: readonly { readonly seq: number }[], seq: number, from = 0): number {
  let low = from;
  let high = things.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (things[middle].seq <= seq) low = middle + 1;
    else high = middle;
  }
  return low;
}
