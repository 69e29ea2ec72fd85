// JSON Patch, RFC 6902, on immutable data: what an operation does not touch is shared with the document before.
import { FloeError, messageOf, patchFailed } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { isKeyed, KEYED, type Keyed } from './keyed.js';
import {
  escapeKey,
  hasOwn,
  hasPart,
  isBranch,
  partOf,
  put,
  sameData,
  shallowCopy,
  type Branch,
  type Container,
} from './plain.js';
import { parsePointer } from './pointer.js';

/** One operation of a JSON Patch document (RFC 6902, section 4). */
export type PatchOperation =
  | {
      readonly op: 'add';
      readonly path: string;
      readonly value: unknown;
      /** For a row of a table: the key of the row that it goes before. Others ignore it, as RFC 6902 tells them to. */
      readonly before?: string;
    }
  | { readonly op: 'replace' | 'test'; readonly path: string; readonly value: unknown }
  | { readonly op: 'remove'; readonly path: string }
  | { readonly op: 'move' | 'copy'; readonly from: string; readonly path: string };

/** A JSON Patch document: operations, applied in order, all or none. */
export type Patch = readonly PatchOperation[];

const INDEX = /^(?:0|[1-9][0-9]*)$/;

class Patching {
  // Copies made by this patch: they are ours alone and may be changed in place; tables until they are sealed.
  private readonly own = new Set<Container>();
  private readonly tables = new Set<Keyed>();
  private step = 0;
  constructor(private document: unknown) {}

  run(patch: Patch): unknown {
    for (const operation of patch) {
      this.apply(operation);
      this.step++;
    }
    this.seal();
    return this.document;
  }

  /** What is ours alone stays as it is from now on. */
  private seal(): void {
    for (const table of this.tables) table[KEYED].seal(table);
    this.tables.clear();
    this.own.clear();
  }

  private fail(path: string, why: string | false): never {
    throw patchFailed(this.step, path, why);
  }

  private keys(path: unknown, member = 'path'): string[] {
    if (typeof path !== 'string') this.fail(String(path), DEV && `it has no '${member}' text`);
    try {
      return parsePointer(path);
    } catch (cause) {
      if (cause instanceof FloeError) this.fail(path, DEV && messageOf(cause));
      throw cause;
    }
  }

  private apply(operation: PatchOperation): void {
    if (typeof operation !== 'object' || operation === null) this.fail('', DEV && 'it is not an object');
    const keys = this.keys(operation.path);
    switch (operation.op) {
      case 'add':
        return this.add(operation.path, keys, this.value(operation), operation.before);
      case 'replace':
        return this.set(operation.path, keys, this.value(operation));
      case 'remove':
        return this.remove(operation.path, keys);
      case 'test':
        if (!sameData(this.read(operation.path, keys), this.value(operation)))
          this.fail(operation.path, DEV && 'the value there is another one');
        return;
      case 'copy':
        // What is copied now stands at two places, with all that is in it: none of it is ours alone any more.
        this.seal();
        return this.add(operation.path, keys, this.read(operation.from, this.keys(operation.from, 'from')));
      case 'move': {
        const from = this.keys(operation.from, 'from');
        const value = this.read(operation.from, from);
        if (operation.path === operation.from) return;
        if (operation.path.startsWith(operation.from + '/'))
          this.fail(operation.path, DEV && 'a value cannot be moved into itself');
        this.remove(operation.from, from);
        return this.add(operation.path, keys, value);
      }
      default:
        this.fail(
          (operation as { path: string }).path,
          DEV && `'${String((operation as { op: unknown }).op)}' is not an operation`,
        );
    }
  }

  private value(operation: { readonly path: string; readonly value: unknown }): unknown {
    if (operation.value === undefined && !hasOwn(operation, 'value'))
      this.fail(operation.path, DEV && "it has no 'value'");
    return operation.value;
  }

  private read(path: string, keys: readonly string[]): unknown {
    let value = this.document;
    for (const key of keys) value = this.part(path, value, key);
    return value;
  }

  private part(path: string, value: unknown, key: string): unknown {
    if (Array.isArray(value)) return value[this.index(path, value, key, value.length - 1)];
    // A part is mostly there: one look finds it, and only where it is `undefined` a second one tells.
    const part = partOf(value, key);
    if (part === undefined && !hasPart(value, key)) this.fail(path, DEV && `nothing is at '${escapeKey(key)}'`);
    return part;
  }

  private index(path: string, array: readonly unknown[], key: string, last: number): number {
    if (!INDEX.test(key)) this.fail(path, DEV && `'${key}' is not an array index`);
    const index = Number(key);
    if (index > last) this.fail(path, DEV && `the array has ${array.length} items`);
    return index;
  }

  /** Changes what holds a location; everything above it is copied. The whole document has no holder. */
  private within(
    { path, keys }: { readonly path: string; readonly keys: readonly string[] },
    change: (holder: Branch, key: string) => void,
    value = this.document,
    depth = 0,
  ): Branch {
    if (!isBranch(value)) this.fail(path, DEV && 'what should hold it is neither an object nor an array');
    const key = keys[depth];
    const holder = this.ours(value);
    if (depth === keys.length - 1) {
      change(holder, key);
      return holder;
    }
    const before = this.part(path, holder, key);
    const part = this.within({ path, keys }, change, before, depth + 1);
    // What is ours was changed in its place.
    if (part !== before) this.put(holder, key, part);
    return holder;
  }

  private put(holder: Branch, key: string, part: unknown): void {
    if (isKeyed(holder)) holder[KEYED].put(holder, key, part);
    else put(holder, key, part);
  }

  /** A holder that may be changed in place: itself, or its copy. */
  private ours(value: Branch): Branch {
    if (isKeyed(value)) {
      if (this.tables.has(value)) return value;
      const table = value[KEYED].edit(value);
      this.tables.add(table);
      return table;
    }
    if (this.own.has(value)) return value;
    const copy = shallowCopy(value);
    this.own.add(copy);
    return copy;
  }

  private add(path: string, keys: readonly string[], value: unknown, before?: string): void {
    if (keys.length === 0) return void (this.document = value);
    this.document = this.within({ path, keys }, (holder, key) => {
      if (isKeyed(holder)) holder[KEYED].put(holder, key, value, before);
      else if (!Array.isArray(holder)) put(holder, key, value);
      else if (key === '-') holder.push(value);
      else holder.splice(this.index(path, holder, key, holder.length), 0, value);
    });
  }

  private set(path: string, keys: readonly string[], value: unknown): void {
    if (keys.length === 0) return void (this.document = value);
    this.document = this.within({ path, keys }, (holder, key) => {
      // Only what is there is replaced.
      this.part(path, holder, key);
      this.put(holder, key, value);
    });
  }

  private remove(path: string, keys: readonly string[]): void {
    this.read(path, keys);
    if (keys.length === 0) return void (this.document = undefined);
    this.document = this.within({ path, keys }, (holder, key) => {
      if (isKeyed(holder)) holder[KEYED].drop(holder, key);
      else if (Array.isArray(holder)) holder.splice(Number(key), 1);
      else delete holder[key];
    });
  }
}

/**
 * Applies a JSON Patch (RFC 6902) to a document and returns the next document. Neither is changed; what the patch does
 * not touch is shared. All operations apply, or none.
 * @throws FLOE_PATCH_FAILED with the number and the path of the operation that could not be applied.
 * @example
 * applyPatch({ berths: ['N1'] }, [{ op: 'add', path: '/berths/-', value: 'N2' }]); // { berths: ['N1', 'N2'] }
 */
export const applyPatch = <T>(document: T, patch: Patch): T => new Patching(document).run(patch) as T;
