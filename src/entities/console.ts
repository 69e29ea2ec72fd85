// How tables and views look on a console.

/** What Node.js asks of a value that is to be shown (`util.inspect.custom`), under a name that any host may use. */
export const INSPECT: unique symbol = Symbol.for('nodejs.util.inspect.custom') as never;

/** So many rows the console of a browser shows: it lists private fields, and knows nothing of what is behind them. */
export const SHOWN = 100;

export function* firstOf<T>(all: Iterable<T>, count: number): Iterable<T> {
  let left = count;
  for (const one of all) {
    if (left-- === 0) return;
    yield one;
  }
}
