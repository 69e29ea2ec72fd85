// What every JavaScript host offers, though the language does not promise it. The core takes these only from here, and
// each can be handed to `createRuntime` instead, so that a test or an unusual host brings its own.
import { badTime } from './errors.js';

const host = globalThis as {
  performance?: { now(): number };
  console?: { error(...parts: unknown[]): void; log(...parts: unknown[]): void };
  document?: object;
  setTimeout?(fn: () => void, ms: number): unknown;
  clearTimeout?(timer: unknown): void;
  AbortController?: new () => { readonly signal: CancelSignal; abort(reason?: unknown): void };
};

/** The platform's own `AbortSignal`, where its types are known. */
export type CancelSignal = typeof globalThis extends { AbortSignal: { prototype: infer S } }
  ? S
  : { readonly aborted: boolean };

/** Makes an `AbortController`; it is made only where a task asks for its signal. */
export const aborter = (): { readonly signal: CancelSignal; abort(reason?: unknown): void } =>
  new host.AbortController!();

/**
 * Checks a time that code was given, in milliseconds.
 * @param what takes it, for the message
 * @throws FLOE_BAD_TIME for anything but a number
 */
export function milliseconds(what: string, ms: unknown): number {
  if (typeof ms !== 'number' || Number.isNaN(ms)) throw badTime(what, ms);
  return ms;
}

/** Calls `fn` once after some milliseconds. Returns a function that prevents it. */
export const timer = (ms: number, fn: () => void): (() => void) => {
  let started: unknown;
  let left = ms;
  const wait = (): void => {
    const next = Math.min(left, LONGEST_TIMER);
    left -= next;
    started = host.setTimeout!(left > 0 ? wait : fn, next);
  };
  // What never comes needs no timer.
  if (ms !== Infinity) wait();
  return () => host.clearTimeout!(started);
};

/** Milliseconds: hosts hold a delay as a signed 32-bit number, and take a longer one for no delay at all. */
const LONGEST_TIMER = 2 ** 31 - 1;

/** Milliseconds on a clock that never goes back; for measuring, not for dates. */
export const stopwatch: () => number = host.performance ? () => host.performance!.now() : () => Date.now();

/** Writes a problem where a developer will see it. */
export const complain = (...parts: unknown[]): void => host.console?.error(...parts);

/** Writes a line where a developer will see it. */
export const tell = (...parts: unknown[]): void => host.console?.log(...parts);

/** True where pages live: one user, so one shared runtime is safe. On a server it is not. */
export const inBrowser = (): boolean => typeof host.document === 'object';

/** Puts a value on the global object under a name. */
export const publish = (name: string, value: unknown): void => {
  (globalThis as Record<string, unknown>)[name] = value;
};
