// The common step, kept small: code dispatched an action that replaced one value. Most steps are never looked at, and a
// whole one is ten objects.
import {
  type Difference,
  differenceOf,
  escapeKey,
  hasPart,
  type StoreDefinition,
  type Transition,
} from '../core/internal.js';
import { CODE, type Step } from './step.js';
import { GrowingSum } from './summing.js';

/** Times are whole numbers here, which the engine keeps in place. Ten parameters: an object beside it is what it spares. */
export class PackedStep {
  constructor(
    readonly seq: number,
    readonly after: number | null,
    readonly branch: number,
    readonly action: NonNullable<Step['action']>,
    readonly stores: readonly string[],
    readonly path: string,
    readonly was: unknown,
    readonly is: unknown,
    /** Milliseconds after `PACKED_FROM`. */
    readonly time: number,
    /** Microseconds. */
    readonly took: number,
  ) {}
}

/** What packed times count from: whole numbers reach 24 days further. */
export const PACKED_FROM = Math.floor(Date.now() / 1000) * 1000;

function unpacked({ seq, after, branch, action, stores, path, was, is, time, took }: PackedStep): Step {
  return {
    seq,
    time: PACKED_FROM + time,
    kind: 'action',
    action,
    cause: CODE,
    stores,
    changes: [{ op: 'replace', path, value: is }],
    undo: [{ op: 'replace', path, value: was }],
    took: took / 1000,
    outcome: 'applied',
    after,
    branch,
  };
}

/** The step itself, however it is kept. */
export const whole = (step: Step | PackedStep | GrowingSum): Step =>
  step instanceof PackedStep ? unpacked(step) : step instanceof GrowingSum ? step.now : step;

/** A single value that was replaced. */
export interface Replaced {
  readonly path: string;
  readonly was: unknown;
  readonly is: unknown;
}

/** Finds what changes come to; remembers texts that come again. */
export class Differences {
  private last = { name: '', key: '', path: '' };
  private stores: readonly string[] = [];

  /** A single replacement, or else the patches there and back. */
  of(changes: Pick<Transition, 'changed' | 'touches'>): Replaced | Difference {
    const replaced = changes.changed.length === 1 ? this.field(changes) : undefined;
    if (replaced) return replaced;
    const found = differenceOf(changes);
    const [there] = found.changes;
    const [back] = found.undo;
    return !found.moves && found.changes.length === 1 && there.op === 'replace' && back.op === 'replace'
      ? { path: there.path, was: back.value, is: there.value }
      : found;
  }

  /** The one field of a store that was replaced, without looking for a difference: the draft knows. */
  private field({
    changed: [{ store, before, after, joined }],
    touches,
  }: Pick<Transition, 'changed' | 'touches'>): Replaced | undefined {
    const touch = joined ? undefined : touches?.get(after);
    if (!touch || touch.moved || touch.base !== before) return undefined;
    const { keys } = touch;
    if (keys?.length !== 1) return undefined;
    const [key] = keys;
    // A key that came or went, also one that every object inherits, is no replacement.
    if (!hasPart(before, key) || !hasPart(after, key)) return undefined;
    const was = (before as Record<string, unknown>)[key];
    const is = (after as Record<string, unknown>)[key];
    if (isObject(was) || isObject(is)) return undefined;
    return { path: this.pathOf(store, key), was, is };
  }

  private pathOf({ name }: StoreDefinition, key: string): string {
    if (this.last.name !== name || this.last.key !== key)
      this.last = { name, key, path: `/${escapeKey(name)}/${escapeKey(key)}` };
    return this.last.path;
  }

  /** The names of the stores that changed: one list for many steps. */
  namesOf(changed: Transition['changed']): readonly string[] {
    const { stores } = this;
    if (stores.length === changed.length && changed.every(({ store }, i) => store.name === stores[i])) return stores;
    return (this.stores = changed.map(({ store }) => store.name));
  }
}

const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null;

/** The patches of a replacement, or those that were found. */
export const patchesOf = (found: Replaced | Difference): Difference =>
  'path' in found
    ? {
        changes: [{ op: 'replace', path: found.path, value: found.is }],
        undo: [{ op: 'replace', path: found.path, value: found.was }],
      }
    : found;

/** One after the other: those that are kept small stay so. */
export function* wholeSteps(steps: readonly (Step | PackedStep)[]): Iterable<Step> {
  for (const step of steps) yield whole(step);
}
