// Paths with names in them, such as `/visits/:id`: the simplest part of what the URL Pattern standard describes.
import { FloeError } from '../core/errors.js';

type Part = { readonly fixed: string } | { readonly name: string };

/** A path of which some segments are parameters. */
export class PathPattern {
  private readonly parts: readonly Part[];
  readonly names: readonly string[];

  constructor(readonly pattern: string) {
    if (!pattern.startsWith('/')) throw badPattern(pattern, "it does not begin with '/'");
    this.parts = segmentsOf(pattern).map((segment) =>
      segment.startsWith(':') ? { name: segment.slice(1) } : { fixed: segment },
    );
    this.names = this.parts.flatMap((part) => ('name' in part ? [part.name] : []));
    if (this.names.some((name) => !/^[A-Za-z_]\w*$/.test(name))) throw badPattern(pattern, 'a parameter has no name');
    if (new Set(this.names).size < this.names.length) throw badPattern(pattern, 'two parameters have one name');
  }

  /** The parameters of a path, as text; `undefined` where it is another path. */
  match(path: string): Record<string, string> | undefined {
    const segments = segmentsOf(path);
    if (segments.length !== this.parts.length) return undefined;
    const found: Record<string, string> = {};
    for (const [i, part] of this.parts.entries()) {
      const segment = decoded(segments[i]);
      if (segment === undefined) return undefined;
      if ('name' in part) found[part.name] = segment;
      else if (part.fixed !== segment) return undefined;
    }
    return found;
  }

  /** The path with these parameters. */
  path(params: Readonly<Record<string, string>>): string {
    const segments = this.parts.map((part) => encodeURIComponent('name' in part ? params[part.name] : part.fixed));
    return `/${segments.join('/')}`;
  }
}

/** Without empty ones: a slash at the end makes no difference. */
const segmentsOf = (path: string): string[] => path.split('/').filter((segment) => segment !== '');

function decoded(segment: string): string | undefined {
  try {
    return decodeURIComponent(segment);
  } catch {
    return undefined;
  }
}

const badPattern = (pattern: string, why: string): FloeError =>
  new FloeError(
    'FLOE_BAD_PATH',
    `'${pattern}' is not a path: ${why}. Write it as '/visits/:id', where ':id' stands for one segment.`,
  );
