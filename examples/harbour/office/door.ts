// What the office lets in: requests of its own page, with bodies that it can read.
import type { Context, MiddlewareHandler } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import * as v from 'valibot';

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '[::1]']);

const hostOf = (address: string): string | undefined => {
  try {
    return new URL(address).hostname;
  } catch {
    return undefined;
  }
};

/**
 * Refuses what does not come from this machine's own pages: another name in `Host` is a foreign site that resolves its name
 * to this address, another `Origin` a page that sends requests across (RFC 9110, 7.4; Fetch, 3.1).
 */
export const ownPagesOnly: MiddlewareHandler = async (c, next) => {
  const host = hostOf(`http://${c.req.header('Host') ?? new URL(c.req.url).host}`);
  if (!LOOPBACK.has(host ?? '')) return c.json({ problem: 'The office is only for this machine.' }, 403);
  const origin = c.req.header('Origin');
  if (origin !== undefined && !LOOPBACK.has(hostOf(origin) ?? ''))
    return c.json({ problem: 'The office is only for its own page.' }, 403);
  return next();
};

/** Refuses bodies that are too large before they are read. */
export const atMost = (bytes: number): MiddlewareHandler =>
  bodyLimit({ maxSize: bytes, onError: (c) => c.json({ problem: `A body has at most ${bytes} bytes here.` }, 413) });

/** Every `POST` says what it sends: forms of other sites cannot say that it is JSON. */
export const jsonOnly: MiddlewareHandler = async (c, next) => {
  const [type] = (c.req.header('Content-Type') ?? '').split(';');
  if (c.req.method === 'POST' && type.trim().toLowerCase() !== 'application/json')
    return c.json({ problem: 'Send JSON, with the Content-Type application/json.' }, 415);
  return next();
};

/** The body of a request by a schema; else what is wrong with it. */
export async function bodyOf<const S extends v.GenericSchema>(
  c: Context,
  schema: S,
): Promise<{ readonly body: v.InferOutput<S> } | { readonly problem: string }> {
  let value: unknown;
  try {
    value = await c.req.json();
  } catch {
    return { problem: 'The body is not JSON.' };
  }
  const result = v.safeParse(schema, value);
  if (result.success) return { body: result.output };
  const [issue] = result.issues;
  return { problem: `${v.getDotPath(issue) ?? 'The body'}: ${issue.message}` };
}

const word = (what: string) => v.pipe(v.string(`${what} is a text.`), v.maxLength(200, `${what} is too long.`));
const moment = (what: string) =>
  v.pipe(
    word(what),
    v.check((text) => !Number.isNaN(Date.parse(text)), `${what} is no moment, as in 2031-03-02T06:40Z.`),
  );

export const planSchema = v.object(
  { hull: word('A hull'), place: word('A place'), arrives: moment('The arrival'), departs: moment('The departure') },
  'A plan has a hull, a place, an arrival and a departure.',
);
export const placeSchema = v.object({ place: word('A place') }, 'Say a place.');
export const nameSchema = v.object(
  { name: v.pipe(word('A name'), v.trim(), v.minLength(1, 'A vessel needs a name.')) },
  'Say a name.',
);
