// How places are written as addresses, and read again.
import { hasOwn, put, sameData } from '../core/internal.js';
import { text, type Codec } from './codec.js';
import type { Spelling } from './definition.js';
import { badBase, badValue, noSuchPlace } from './errors.js';
import { PathPattern } from './pattern.js';

export interface AnyPlace {
  readonly at: string | null;
  readonly params: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly fragment: string;
  readonly others: string;
}

/** What is declared of an address; see `LocationOptions`. */
interface Spelled {
  readonly paths: Readonly<Record<string, string>>;
  readonly query?: Readonly<Record<string, Codec<unknown>>>;
  readonly params?: Readonly<Record<string, Codec<unknown>>>;
  readonly base?: string;
}

/** Its members may be taken off it. */
export class PlaceSpelling implements Spelling {
  private readonly base: string;
  private readonly query: Readonly<Record<string, Codec<unknown>>>;
  private readonly codecs: Readonly<Record<string, Codec<unknown>>>;
  private readonly patterns: ReadonlyMap<string, PathPattern>;

  /** @throws FLOE_BAD_PATH */
  constructor(
    private readonly store: string,
    { paths, query = {}, params = {}, base = '' }: Spelled,
  ) {
    this.base = baseOf(base);
    this.query = query;
    this.codecs = params;
    this.patterns = new Map(Object.entries(paths).map(([key, path]) => [key, new PathPattern(path)]));
  }

  /** The place at which every address begins. */
  get begin(): AnyPlace {
    return this.parse(this.base === '' ? '/' : this.base);
  }

  private codecOf(param: string): Codec<unknown> {
    return hasOwn(this.codecs, param) ? this.codecs[param] : text;
  }

  readonly parse = (url: string): AnyPlace => {
    const [, path, search, fragment] = /^([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/s.exec(url) as unknown as string[];
    const { query, base } = this;
    const found: Record<string, unknown> = {};
    const others = new URLSearchParams();
    for (const [key, value] of new URLSearchParams(search ?? '')) {
      const read = hasOwn(query, key) ? query[key].read(value) : undefined;
      if (read !== undefined) put(found, key, read);
      else if (!hasOwn(query, key)) others.append(key, value);
    }
    const rest = { query: found, fragment: decodeFragment(fragment ?? ''), others: others.toString() };
    const own = pathOf(path);
    const inside = own === base || own.startsWith(`${base}/`) ? own.slice(base.length) : undefined;
    if (inside !== undefined) {
      for (const [at, pattern] of this.patterns) {
        const params = pattern.match(inside);
        if (!params) continue;
        const read = Object.entries(params).map(([key, value]) => [key, this.codecOf(key).read(value)] as const);
        if (read.every(([, value]) => value !== undefined)) return { at, params: Object.fromEntries(read), ...rest };
      }
    }
    return { at: null, params: { url: own }, ...rest };
  };

  /** A value as text that can be read again. */
  private readonly written = (codec: Codec<unknown>, value: unknown, what: string): string => {
    const found = value === undefined ? undefined : wellFormed(codec.write(value));
    if (found === undefined || codec.read(found) === undefined) throw badValue(this.store, what, value);
    return found;
  };

  readonly hrefOf = ({ at, params, query: found, fragment, others }: AnyPlace): string => {
    const { query, base, patterns } = this;
    const search = new URLSearchParams();
    for (const key of Object.keys(query))
      if (found[key] !== undefined) search.set(key, this.written(query[key], found[key], `query '${key}'`));
    for (const [key, value] of new URLSearchParams(others)) if (!hasOwn(query, key)) search.append(key, value);
    const asked = search.toString();
    const after = `${asked && `?${asked}`}${encodeFragment(fragment)}`;
    const pattern = at === null ? undefined : patterns.get(at);
    if (!pattern) {
      if (at !== null) throw noSuchPlace(this.store, at, [...patterns.keys()]);
      const path = pathOf(typeof params.url === 'string' ? params.url : '');
      // An address that begins with two slashes leads to another host.
      return `${path.startsWith('//') ? '/.' : ''}${path}${after}`;
    }
    const texts = Object.fromEntries(
      pattern.names.map((key) => [
        key,
        this.written(this.codecOf(key), params[key], `parameter '${key}' of '${String(at)}'`),
      ]),
    );
    const href = base + pattern.path(texts);
    // Another path has this parameter as a part of its own: here it is marked as a parameter.
    return (this.parse(href).at === at ? href : base + pattern.path(texts, true)) + after;
  };

  /** What its address says: equal places are equal data, whatever they were made of. */
  readonly settled = (place: AnyPlace): AnyPlace => {
    const found = this.parse(this.hrefOf(place));
    return sameData(found, place) ? place : found;
  };
}

/** @throws FLOE_BAD_PATH */
function baseOf(base: string): string {
  if (base === '' || base === '/') return '';
  const found = base.endsWith('/') ? base.slice(0, -1) : base;
  if (!found.startsWith('/') || found.startsWith('//') || pathOf(found) !== found) throw badBase(base);
  return found;
}

/** A path as a browser has it: without dots, backslashes and what else would be read as another one. */
const pathOf = (path: string): string =>
  new URL(`http://here/.${path.startsWith('/') ? '' : '/'}${wellFormed(path)}`).pathname;

/** Texts without lone surrogates, which UTF-8 cannot carry (WHATWG Infra, scalar value strings). */
const wellFormed = (found: string): string =>
  found.replace(/[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/g, '\uFFFD');

function decodeFragment(fragment: string): string {
  try {
    return decodeURIComponent(fragment);
  } catch {
    return wellFormed(fragment);
  }
}

/** As little encoded as a fragment can be (RFC 3986, 3.5). */
const encodeFragment = (fragment: string): string =>
  fragment &&
  `#${encodeURIComponent(wellFormed(fragment)).replace(/%(?:2F|3F|3A|40|24|26|2B|2C|3B|3D)/g, decodeURIComponent)}`;
