import type { Step } from './step.js';

/** The steps of one line of history, oldest first. Steps come at the end, and leave at the front. */
export class Line {
  private items: Step[];
  private head = 0;

  constructor(steps: readonly Step[] = []) {
    this.items = steps.slice();
  }

  get length(): number {
    return this.items.length - this.head;
  }

  /** The step at an index; negative ones and those beyond the end have none. */
  at(index: number): Step | undefined {
    return index < 0 ? undefined : this.items[this.head + index];
  }
  get first(): Step | undefined {
    return this.items[this.head];
  }
  get last(): Step | undefined {
    return this.length > 0 ? this.items[this.items.length - 1] : undefined;
  }

  push(step: Step): void {
    this.items.push(step);
  }

  set(index: number, step: Step): void {
    this.items[this.head + index] = step;
  }

  /** Takes the oldest step. Its place is given back only now and then: that costs as much as what is left. */
  shift(): Step {
    const step = this.items[this.head++];
    if (this.head > 1000 && this.head > this.length) {
      this.items = this.items.slice(this.head);
      this.head = 0;
    }
    return step;
  }

  /** Takes all steps from an index on. */
  cut(index: number): Step[] {
    return this.items.splice(this.head + index);
  }

  /** The index of a step, or -1. Numbers go up along a line. */
  indexOf(seq: number): number {
    const index = this.after(seq) - 1;
    return this.at(index)?.seq === seq ? index : -1;
  }

  /** How many steps have this number or a smaller one. */
  after(seq: number): number {
    let low = 0;
    let high = this.length;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (this.items[this.head + middle].seq <= seq) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  slice(from = 0, to = this.length): Step[] {
    return this.items.slice(this.head + from, this.head + to);
  }
}
