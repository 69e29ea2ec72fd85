// One small encoding of leaf values in JSON, for snapshots, trace files, storages and links: a tagged object.
import { badSnapshot, FloeError, messageOf } from '../base/errors.js';
import { isKeyed, keyedMaker } from './keyed.js';
import { hasOwn, isContainer, isDate, isMap, isSet, put, type Container } from './plain.js';

const TAG = 'floe:type';

const tagged = (type: string, value?: unknown): object =>
  value === undefined ? { [TAG]: type } : { [TAG]: type, value };

/**
 * The value as JSON can carry it: Date, Map, Set, BigInt, undefined, NaN, the infinities and -0 become tagged objects
 * such as `{"floe:type":"date","value":"2031-03-02T06:00:00.000Z"}`. Data without them is returned as it is, not copied.
 */
export function encode(value: unknown): unknown {
  switch (typeof value) {
    case 'undefined':
      return tagged('undefined');
    case 'bigint':
      return tagged('bigint', String(value));
    case 'number':
      return Number.isFinite(value) && !Object.is(value, -0)
        ? value
        : tagged('number', Object.is(value, -0) ? '-0' : String(value));
    case 'object':
      break;
    default:
      return value;
  }
  if (value === null) return value;
  if (isDate(value)) return tagged('date', Number.isNaN(value.getTime()) ? 'invalid' : value.toISOString());
  if (isMap(value))
    return tagged(
      'map',
      Array.from(value, ([key, part]) => [encode(key), encode(part)]),
    );
  if (isSet(value)) return tagged('set', Array.from(value, encode));
  if (isKeyed(value))
    return tagged(
      'table',
      Array.from(value, ([key, row]) => [key, encode(row)]),
    );
  if (!isContainer(value)) return value;
  if (hasOwn(value, TAG))
    return tagged(
      'object',
      Object.entries(value).map(([key, part]) => [key, encode(part)]),
    );
  return mapParts(value, encode);
}

/** Most parts are leaves that JSON carries as they are. */
const decodePart = (part: unknown): unknown => (typeof part === 'object' && part !== null ? decode(part) : part);

/** What `encode` was given. */
export function decode(value: unknown): unknown {
  if (typeof value !== 'object' || value === null) return value;
  if (!hasOwn(value, TAG)) return mapParts(value as Container, decodePart);
  const { [TAG]: type, value: content } = value as { [TAG]: unknown; value?: never };
  try {
    return decodeTagged(type, content as never);
  } catch (cause) {
    if (cause instanceof FloeError) throw cause;
    // What a tag holds is not what its type wants: no list, no number.
    throw badSnapshot(`its value of the type ${named(type)} cannot be read: ${messageOf(cause)}`);
  }
}

const named = (type: unknown): string => (typeof type === 'string' ? `'${type}'` : JSON.stringify(type));

const NUMBERS: readonly unknown[] = ['NaN', 'Infinity', '-Infinity', '-0'];

/** What stands in pairs. @throws TypeError for anything else */
function pairs(content: unknown): [string, unknown][] {
  if (!Array.isArray(content) || !content.every((pair) => Array.isArray(pair) && pair.length === 2))
    throw new TypeError('it is no list of pairs');
  return content as [string, unknown][];
}

function decodeTagged(type: unknown, content: never): unknown {
  switch (type) {
    case 'undefined':
      return undefined;
    case 'bigint':
      return BigInt(content);
    case 'number':
      if (!NUMBERS.includes(content)) throw new TypeError('it is none of the numbers that JSON cannot carry');
      return Number(content);
    case 'date': {
      const date = new Date(content);
      if (typeof content !== 'string' || (content !== 'invalid' && Number.isNaN(date.getTime())))
        throw new TypeError('it is no time in ISO 8601');
      return date;
    }
    case 'map':
      return new Map(pairs(content).map(([key, part]) => [decode(key), decode(part)]));
    case 'set':
      return new Set((content as unknown[]).map(decode));
    case 'table':
      if (!keyedMaker.make) throw badSnapshot("it holds a table: import 'floe/entities' first");
      return keyedMaker.make(pairs(content).map(([key, row]) => [key, decodePart(row)]));
    case 'object': {
      const result = {};
      for (const [key, part] of pairs(content)) put(result, key, decode(part));
      return result;
    }
    default:
      throw badSnapshot(`it holds a value of the unknown type ${named(type)}`);
  }
}

/** Maps the parts of a container; without a difference it is the same container. */
function mapParts(value: Container, map: (part: unknown) => unknown): Container {
  if (Array.isArray(value)) {
    let result = value;
    for (let i = 0; i < value.length; i++) {
      const next = map(value[i]);
      if (Object.is(next, value[i])) continue;
      if (result === value) result = [...value];
      result[i] = next;
    }
    return result;
  }
  let result = value;
  for (const key of Object.keys(value)) {
    const next = map(value[key]);
    if (Object.is(next, value[key])) continue;
    if (result === value) result = { ...value };
    put(result, key, next);
  }
  return result;
}

const unsafe: Record<string, string> = { '<': '\\u003c', '\u2028': '\\u2028', '\u2029': '\\u2029' };

/** JSON text of any state, safe inside a `<script>` element of a page. */
export const toText = (value: unknown): string =>
  JSON.stringify(encode(value)).replace(/[<\u2028\u2029]/g, (found) => unsafe[found]);

/** The value in a text that holds an encoded one. @throws FLOE_BAD_SNAPSHOT */
export function fromText(text: string): unknown {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (cause) {
    throw badSnapshot(cause instanceof Error ? cause.message : String(cause));
  }
  try {
    return decode(value);
  } catch (cause) {
    // Data that no stack holds; how deep that is depends on the engine.
    throw cause instanceof RangeError ? badSnapshot('it is nested too deep') : cause;
  }
}
