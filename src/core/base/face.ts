// What an application holds of a part of Floe: methods that it may take off their object and pass on.

/** How a method of a face is called: around the method itself. */
type Around = <T>(name: string, method: () => T) => T;

const plain: Around = (_name, method) => method();

/**
 * A face of an object: the named members, its methods bound to it.
 * @param around called with each call of a method: may refuse it, or do something before and after
 * @example
 * const { undo, watch } = faceOf(stack, ['undo', 'undos', 'watch']);
 */
export function faceOf<T extends object, K extends keyof T & string>(of: T, members: readonly K[], around = plain): T {
  const face = {};
  for (const name of members) {
    const value = valueOf(of, name);
    Object.defineProperty(
      face,
      name,
      typeof value === 'function'
        ? {
            value: (...args: unknown[]): unknown =>
              around(name, () => (value as (...args: unknown[]) => unknown).apply(of, args)),
            enumerable: true,
          }
        : { get: () => of[name], enumerable: true },
    );
  }
  return face as T;
}

/** A member without calling its getter. */
function valueOf(of: object, name: string): unknown {
  for (let at: object | null = of; at; at = Object.getPrototypeOf(at) as object | null) {
    const found = Object.getOwnPropertyDescriptor(at, name);
    if (found) return found.value;
  }
  return undefined;
}
