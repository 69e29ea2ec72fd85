import { encode, isContainer, isKeyed } from '../core/internal.js';

/** A number for equal data. What two states share is gone through once, and kept once. */
export class DataNumbers {
  private readonly byText = new Map<string, number>();
  private readonly byPart = new WeakMap<object, number>();

  /** The number of a value: that of all data that equals it, with the keys in the same order. */
  of(value: unknown): number {
    if (typeof value !== 'object' || value === null) return this.ofText(JSON.stringify(encode(value)));
    let number = this.byPart.get(value);
    if (number === undefined) this.byPart.set(value, (number = this.ofText(this.textOf(value))));
    return number;
  }

  /** Text that is equal for equal data; parts are numbers. */
  private textOf(value: object): string {
    if (Array.isArray(value)) return `[${value.map((part) => this.of(part)).join()}]`;
    if (isKeyed(value)) return `table ${this.entries(value)}`;
    return isContainer(value) ? `{${this.entries(Object.entries(value))}}` : JSON.stringify(encode(value));
  }

  private entries(of: Iterable<readonly [string, unknown]>): string {
    return Array.from(of, ([key, part]) => `${JSON.stringify(key)}:${this.of(part)}`).join();
  }

  private ofText(text: string): number {
    let number = this.byText.get(text);
    if (number === undefined) this.byText.set(text, (number = this.byText.size));
    return number;
  }
}
