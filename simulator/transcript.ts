// What a program does, as calls of the public interface: noted while it is played, to be pasted into a file.
import type { Declared } from './application.js';

/** Looked at by oracles, not by programs. */
const UNTOLD = ['snapshot', 'stateAt', 'export', 'history', 'watch', 'list', 'then', 'catch', 'finally'];

export class Transcript {
  readonly lines: string[] = [];
  /** A call of the program is under way: what happens besides is none of it. */
  isOn = false;
  private indent = '';
  private readonly names = new Map<unknown, string>();
  private readonly counts = new Map<string, number>();

  name(value: unknown, name: string): void {
    this.names.set(value, name);
  }

  stores(stores: readonly Declared[]): void {
    for (const { store, name } of stores) this.name(store, name);
  }

  say(line: string): void {
    this.lines.push(this.indent + line);
  }

  /** The same object, whose calls are noted. */
  reported<T extends object>(target: T, name: string): T {
    const reported = new Proxy(target, {
      get: (_, key) => {
        const value: unknown = Reflect.get(target, key);
        if (typeof key !== 'string' || UNTOLD.includes(key)) return value;
        if (typeof value === 'object' && value !== null && (key === 'trace' || key === 'persistence'))
          return this.reported(value, `${name}.${key}`);
        if (typeof value !== 'function') return value;
        return (...args: unknown[]): unknown => this.call(value.bind(target), `${name}.${key}`, args);
      },
    });
    this.names.set(target, name);
    return reported;
  }

  private call(method: (...args: unknown[]) => unknown, name: string, args: readonly unknown[]): unknown {
    if (!this.isOn) return method(...args);
    const [first] = args;
    if (typeof first === 'function') return this.around(method, name, first as () => unknown);
    const at = this.lines.length;
    const line = `${name}(${args.map((arg) => this.textOf(arg)).join(', ')});`;
    this.say(line);
    try {
      const result = method(...args);
      return this.named(result, name, at, line);
    } catch (error) {
      const { code = 'an error' } = error as { readonly code?: string };
      this.lines[at] = `${this.indent}attempt(() => ${line.slice(0, -1)}); // ${code}`;
      throw error;
    }
  }

  /** What is done inside of a transaction or a batch. */
  private around(method: (...args: unknown[]) => unknown, name: string, fn: () => unknown): unknown {
    this.say(`attempt(() =>`);
    this.say(`  ${name}(() => {`);
    const { indent } = this;
    this.indent += '    ';
    try {
      return method(() => {
        try {
          return fn();
        } catch (error) {
          this.say(`throw new Error('not wanted');`);
          throw error;
        }
      });
    } finally {
      this.indent = indent;
      this.say(`  }),`);
      this.say(`);`);
    }
  }

  /** A run or an optimistic action is called something, since it is used later. */
  private named(result: unknown, name: string, at: number, line: string): unknown {
    const what = name.endsWith('.run') ? 'run' : name.endsWith('.optimistic') ? 'optimistic' : undefined;
    if (!what || typeof result !== 'object' || result === null) return result;
    const number = (this.counts.get(what) ?? 0) + 1;
    this.counts.set(what, number);
    this.lines[at] = `${this.indent}const ${what}${number} = ${line}`;
    return this.reported(result, `${what}${number}`);
  }

  private textOf(value: unknown): string {
    const known = this.names.get(value);
    if (known !== undefined) return known;
    const { task, args } = (value ?? {}) as { readonly task?: { readonly name: string }; readonly args?: unknown[] };
    if (task && args)
      return `tasks.${task.name.replace(/^.*\./, '')}(${args.map((arg) => this.textOf(arg)).join(', ')})`;
    if (typeof value === 'function') return value.name;
    return (
      JSON.stringify(value)
        ?.replaceAll(/"(\w+)":/g, '$1: ')
        .replaceAll(',', ', ') ?? 'undefined'
    );
  }
}
