// JSON Pointer, RFC 6901.
import { badPointer } from '../base/errors.js';
import { DEV } from '../base/mode.js';

/**
 * The keys of a JSON Pointer (RFC 6901): `'/visits/list/0'` gives `['visits', 'list', '0']`, `''` gives `[]`.
 * @throws FLOE_BAD_POINTER when it neither is empty nor starts with `/`, or has a `~` that is not `~0` or `~1`.
 */
export function parsePointer(pointer: string): string[] {
  if (pointer === '') return [];
  if (pointer[0] !== '/') throw badPointer(pointer, DEV && "it must be empty or start with '/'");
  const tokens = pointer.slice(1).split('/');
  // Most hold none: replaying long histories is mostly this.
  if (!pointer.includes('~')) return tokens;
  return tokens.map((token) => {
    if (/~(?![01])/.test(token))
      throw badPointer(pointer, DEV && "'~' must be written '~0', and '/' inside a key '~1'");
    return token.replaceAll('~1', '/').replaceAll('~0', '~');
  });
}
