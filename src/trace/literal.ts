// State as source code.
import { isDate, isKeyed, isMap, isSet } from '../core/internal.js';

const WIDTH = 110;
const NAME = /^[A-Za-z_$][\w$]*$/;

/** Characters that a reader of the source would not see, or that change the order in which others are shown. */
const UNSHOWN = /[\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff]/g;

/** Text as a literal with single quotes. */
export const quoted = (text: string): string =>
  `'${JSON.stringify(text)
    .slice(1, -1)
    .replaceAll('\\"', '"')
    .replaceAll("'", "\\'")
    .replace(UNSHOWN, (found) => `\\u${found.charCodeAt(0).toString(16).padStart(4, '0')}`)}'`;

/**
 * A value as an expression of TypeScript: on one line where it fits, else a part a line.
 * @param indent the spaces before the line on which it begins
 */
export function literal(value: unknown, indent = ''): string {
  const short = oneLine(value);
  if (indent.length + short.length <= WIDTH) return short;
  const inner = indent + '  ';
  const block = (open: string, parts: readonly string[], close: string): string =>
    `${open}\n${parts.map((part) => `${inner}${part},\n`).join('')}${indent}${close}`;
  if (Array.isArray(value))
    return block(
      '[',
      value.map((part) => literal(part, inner)),
      ']',
    );
  if (isKeyed(value) || isMap(value)) {
    const pairs = Array.from(value as Iterable<readonly [unknown, unknown]>, (pair) => literal(pair, inner));
    return `${isMap(value) ? 'new Map' : 'tableOf'}(${block('[', pairs, ']')})`;
  }
  if (isSet(value)) return `new Set(${literal([...value], indent)})`;
  if (typeof value !== 'object' || value === null || isDate(value)) return short;
  return block(
    '{',
    Object.entries(value).map(([key, part]) => `${keyOf(key)}: ${literal(part, inner)}`),
    '}',
  );
}

function oneLine(value: unknown): string {
  switch (typeof value) {
    case 'string':
      return quoted(value);
    case 'number':
      return Object.is(value, -0) ? '-0' : String(value);
    case 'bigint':
      return `${value}n`;
    case 'object':
      break;
    default:
      return String(value);
  }
  if (value === null) return 'null';
  if (isDate(value))
    return Number.isNaN(value.getTime()) ? 'new Date(NaN)' : `new Date(${quoted(value.toISOString())})`;
  if (Array.isArray(value)) return `[${value.map(oneLine).join(', ')}]`;
  if (isMap(value)) return `new Map([${Array.from(value, oneLine).join(', ')}])`;
  if (isSet(value)) return `new Set([${Array.from(value, oneLine).join(', ')}])`;
  if (isKeyed(value)) return `tableOf([${Array.from(value, oneLine).join(', ')}])`;
  const entries = Object.entries(value).map(([key, part]) => `${keyOf(key)}: ${oneLine(part)}`);
  return entries.length > 0 ? `{ ${entries.join(', ')} }` : '{}';
}

/** A key as it stands in a literal; `__proto__` alone would set the prototype. */
const keyOf = (key: string): string => (key === '__proto__' ? "['__proto__']" : NAME.test(key) ? key : quoted(key));
