// JSON Patch, RFC 6902, on immutable data: what an operation does not touch is shared with the document before.
import { FloeError, messageOf, patchFailed } from './errors.js';
import { escapeKey, hasOwn, isContainer, put, sameData, shallowCopy, type Container } from './plain.js';
import { parsePointer } from './pointer.js';

/** One operation of a JSON Patch document (RFC 6902, section 4). */
export type PatchOperation =
  | { readonly op: 'add' | 'replace' | 'test'; readonly path: string; readonly value: unknown }
  | { readonly op: 'remove'; readonly path: string }
  | { readonly op: 'move' | 'copy'; readonly from: string; readonly path: string };

/** A JSON Patch document: operations, applied in order, all or none. */
export type Patch = readonly PatchOperation[];

const INDEX = /^(?:0|[1-9][0-9]*)$/;

class Patching {
  // Copies made by this patch: they are ours alone and may be changed in place.
  private readonly own = new Set<Container>();
  private step = 0;
  constructor(private document: unknown) {}

  run(patch: Patch): unknown {
    for (const operation of patch) {
      this.apply(operation);
      this.step++;
    }
    return this.document;
  }

  private fail(path: string, why: string): never {
    throw patchFailed(this.step, path, why);
  }

  private keys(path: unknown, member = 'path'): string[] {
    if (typeof path !== 'string') this.fail(String(path), `it has no '${member}' text`);
    try {
      return parsePointer(path);
    } catch (cause) {
      if (cause instanceof FloeError) this.fail(path, messageOf(cause));
      throw cause;
    }
  }

  private apply(operation: PatchOperation): void {
    if (typeof operation !== 'object' || operation === null) this.fail('', 'it is not an object');
    const keys = this.keys(operation.path);
    switch (operation.op) {
      case 'add':
        return this.add(operation.path, keys, this.value(operation));
      case 'replace':
        this.read(operation.path, keys);
        return this.set(operation.path, keys, this.value(operation));
      case 'remove':
        return this.remove(operation.path, keys);
      case 'test':
        if (!sameData(this.read(operation.path, keys), this.value(operation)))
          this.fail(operation.path, 'the value there is another one');
        return;
      case 'copy':
        // What is copied now stands at two places, with all that is in it: none of it is ours alone any more.
        this.own.clear();
        return this.add(operation.path, keys, this.read(operation.from, this.keys(operation.from, 'from')));
      case 'move': {
        const from = this.keys(operation.from, 'from');
        const value = this.read(operation.from, from);
        if (operation.path === operation.from) return;
        if (operation.path.startsWith(operation.from + '/'))
          this.fail(operation.path, 'a value cannot be moved into itself');
        this.remove(operation.from, from);
        return this.add(operation.path, keys, value);
      }
      default:
        this.fail(
          (operation as { path: string }).path,
          `'${String((operation as { op: unknown }).op)}' is not an operation`,
        );
    }
  }

  private value(operation: { readonly path: string; readonly value: unknown }): unknown {
    if (!hasOwn(operation, 'value')) this.fail(operation.path, "it has no 'value'");
    return operation.value;
  }

  private read(path: string, keys: readonly string[]): unknown {
    let value = this.document;
    for (const key of keys) {
      if (!isContainer(value)) this.fail(path, 'nothing is there');
      if (Array.isArray(value)) value = value[this.index(path, value, key, value.length - 1)];
      else if (hasOwn(value, key)) value = value[key];
      else this.fail(path, 'nothing is there');
    }
    return value;
  }

  private index(path: string, array: readonly unknown[], key: string, last: number): number {
    if (!INDEX.test(key)) this.fail(path, `'${key}' is not an array index`);
    const index = Number(key);
    if (index > last) this.fail(path, `the array has ${array.length} items`);
    return index;
  }

  /** The parent of a location, copied so that it may be changed, along with everything above it. */
  private parent(path: string, keys: readonly string[]): Container {
    let target = (this.document = this.copied(path, this.document));
    for (let i = 0; i < keys.length - 1; i++) {
      const key = keys[i];
      if (Array.isArray(target)) {
        const index = this.index(path, target, key, target.length - 1);
        target = target[index] = this.copied(path, target[index]);
      } else {
        if (!hasOwn(target, key)) this.fail(path, `there is nothing at '${escapeKey(key)}' to hold it`);
        const part = this.copied(path, target[key]);
        put(target, key, part);
        target = part;
      }
    }
    return target;
  }

  private copied(path: string, value: unknown): Container {
    if (!isContainer(value)) this.fail(path, 'what should hold it is neither an object nor an array');
    if (this.own.has(value)) return value;
    const copy = shallowCopy(value);
    this.own.add(copy);
    return copy;
  }

  private add(path: string, keys: readonly string[], value: unknown): void {
    if (keys.length === 0) return void (this.document = value);
    const target = this.parent(path, keys);
    const key = keys[keys.length - 1];
    if (!Array.isArray(target)) put(target, key, value);
    else if (key === '-') target.push(value);
    else target.splice(this.index(path, target, key, target.length), 0, value);
  }

  private set(path: string, keys: readonly string[], value: unknown): void {
    if (keys.length === 0) return void (this.document = value);
    const target = this.parent(path, keys);
    put(target, keys[keys.length - 1], value);
  }

  private remove(path: string, keys: readonly string[]): void {
    this.read(path, keys);
    if (keys.length === 0) return void (this.document = undefined);
    const target = this.parent(path, keys);
    const key = keys[keys.length - 1];
    if (Array.isArray(target)) target.splice(Number(key), 1);
    else delete target[key];
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
