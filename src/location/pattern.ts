// Paths with names in them, such as `/visits/:id`: the simplest part of what the URL Pattern standard describes.
import { badPattern } from './errors.js';

type PathPart = { readonly fixed: string } | { readonly name: string };

/**
 * Before a parameter, it says that what follows is meant as it stands: also where it is empty, '.' or '..', which browsers
 * take away as segments (WHATWG URL, 4.4), percent-encoded or not.
 */
const QUOTE = '~';

/** A path of which some segments are parameters. */
export class PathPattern {
  private readonly parts: readonly PathPart[];
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
    const found: [string, string][] = [];
    for (const [i, part] of this.parts.entries()) {
      const segment = decoded(segments[i]);
      if (segment === undefined) return undefined;
      if ('name' in part) found.push([part.name, segment.startsWith(QUOTE) ? segment.slice(1) : segment]);
      else if (part.fixed !== segment) return undefined;
    }
    return Object.fromEntries(found);
  }

  /**
   * The path with these parameters, which are well-formed texts.
   * @param quoted whether each parameter is marked as one: for those that would be taken for a part of another path
   */
  path(params: Readonly<Record<string, string>>, quoted = false): string {
    const segments = this.parts.map((part) => {
      if (!('name' in part)) return encodeURIComponent(part.fixed);
      const text = params[part.name];
      return encodeURIComponent(quoted || text.startsWith(QUOTE) ? QUOTE + text : text);
    });
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
