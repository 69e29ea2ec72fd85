// Parts of a store's state as sources of their own.
import type { DRAFTED } from '../data/keyed.js';
import { parsePointer } from '../data/pointer.js';
import { partSelector, type Source } from './source.js';
import { definitionOf, type StoreDefinition } from './store.js';
import type { StoreOf } from './store-types.js';

/**
 * The part of a store's state at a JSON Pointer (RFC 6901), as a source of its own.
 * @param fallback what is read where there is nothing; never an error. Default: undefined
 * @example
 * runtime.watch(at(visits, '/list/0/phase', 'unknown'), (phase) => { ... });
 */
export function at<S, P extends string>(store: StoreOf<S>, pointer: P): Source<PartAt<S, P> | undefined>;
export function at<S, P extends string, F>(store: StoreOf<S>, pointer: P, fallback: F): Source<PartAt<S, P> | F>;
export function at(store: Source<unknown>, pointer: string, fallback?: unknown): Source<unknown> {
  const definition = definitionOf(store);
  parsePointer(pointer);
  let of = selectors.get(definition);
  if (!of) selectors.set(definition, (of = partSelector(`${definition.name}.at`, definition, parsePointer)));
  return of(pointer, fallback);
}

const selectors = new WeakMap<StoreDefinition, ReturnType<typeof partSelector>>();

/** The type of the part at a literal JSON Pointer; `unknown` where the pointer is computed or leads nowhere known. */
export type PartAt<S, P extends string> = string extends P
  ? unknown
  : P extends ''
    ? S
    : P extends `/${infer K}/${infer Rest}`
      ? PartAt<PartOf<S, K>, `/${Rest}`>
      : P extends `/${infer K}`
        ? PartOf<S, K>
        : unknown;

type PartOf<S, K extends string> =
  // A table; a native Map is a leaf.
  S extends { readonly [DRAFTED]: unknown; get(key: string): infer R }
    ? Exclude<R, undefined>
    : S extends readonly (infer I)[]
      ? K extends 'length'
        ? number
        : I
      : S extends object
        ? K extends keyof S
          ? S[K]
          : string extends keyof S
            ? S[keyof S]
            : unknown
        : unknown;
