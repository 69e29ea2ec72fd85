/** Turns a value into the text that stands in an address, and back. */
export interface Codec<T> {
  /** The value in a text; `undefined` where it is none. */
  read(text: string): T | undefined;
  write(value: T): string;
}

/** Any text, as it stands in the address. */
export const text: Codec<string> = { read: (found) => found, write: (value) => value };

const DECIMAL = /^-?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?$/i;

function withSign(value: number): string {
  return Object.is(value, -0) ? '-0' : String(value);
}

/** A whole number, written in decimal. */
export const whole: Codec<number> = {
  read: (found) => (/^-?\d+$/.test(found) && Number.isSafeInteger(Number(found)) ? Number(found) : undefined),
  write: withSign,
};

/** A finite number, written in decimal: `-4.25`, `1e21`. */
export const decimal: Codec<number> = {
  read: (found) => (DECIMAL.test(found) && Number.isFinite(Number(found)) ? Number(found) : undefined),
  write: withSign,
};

/** `yes` or `no`. */
export const flag: Codec<boolean> = {
  read: (found) => (found === 'yes' ? true : found === 'no' ? false : undefined),
  write: (value) => (value ? 'yes' : 'no'),
};

/**
 * One of some words.
 * @example
 * const filter = oneOf('all', 'expected', 'alongside');
 */
export const oneOf = <const T extends string>(...words: readonly T[]): Codec<T> => ({
  read: (found) => words.find((word) => word === found),
  write: (value) => value,
});
