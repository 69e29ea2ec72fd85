// The address bar of a browser, with its history as the HTML standard has it.
import type { AddressBar } from 'floe/location';

export class SimulatedBar implements AddressBar {
  private readonly entries = ['/'];
  private at = 0;
  private readonly listeners = new Set<() => void>();

  now(): string {
    return this.entries[this.at];
  }

  show(url: string, how: 'push' | 'replace'): void {
    if (how === 'push') this.entries.splice(++this.at, Infinity, url);
    else this.entries[this.at] = url;
  }

  watch(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** How many entries the history has. */
  get size(): number {
    return this.entries.length;
  }

  /** The user goes back or on, as far as there is something. Returns whether there was. */
  move(by: 1 | -1): boolean {
    if (!(this.at + by in this.entries)) return false;
    this.at += by;
    for (const listener of [...this.listeners]) listener();
    return true;
  }
}
