// The server behind `floe inspect`: the inspector's page, the sessions that it shows, and the door for applications that link
// themselves. It listens on the loopback address unless told otherwise, and wants the token that the command printed.
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { existsSync } from 'node:fs';
import { isIPv6, type AddressInfo } from 'node:net';
import { networkInterfaces } from 'node:os';
import { fileURLToPath } from 'node:url';
import type { LinkMessage } from '../inspector/ends/index.js';
import { hostUnusable, inspectorMissing, portTaken } from './errors.js';
import type { LinkedApplications } from './linked-applications.js';
import {
  bodyLimit,
  cors,
  Hono,
  serve,
  serveStatic,
  stream,
  type Context,
  type MiddlewareHandler,
} from './server-libraries.js';

/** Bytes of a request: a session that takes the place of another one is the largest. */
const MOST_SENT = 512 * 1024 * 1024;
/** Characters of the name of an application. */
const LONGEST_NAME = 200;
/** Milliseconds between two signs of life on a response that stays open. */
const SIGN_OF_LIFE = 15_000;

/** Nothing is loaded but the page's own files, and nothing in a session can become a script. */
const POLICY =
  "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'; require-trusted-types-for 'script'; trusted-types lit-html";

export interface ServedInspector {
  /** With the token: whoever has it can read the sessions. */
  readonly address: string;
  /** The same by the other names of this machine in its network, where the server listens there. */
  readonly others: readonly string[];
  close(): Promise<void>;
}

export interface ServingOptions {
  readonly port: number;
  readonly host: string;
  /** Default: a new one. */
  readonly token?: string;
  /** The folder of the inspector's page. */
  readonly page: URL;
}

const refusal = (c: Context, code: number, message: string): Response =>
  c.json({ jsonrpc: '2.0', id: null, error: { code, message } }, 400);

/** The body of a request; `undefined` where it is not JSON. */
const bodyOf = async (c: Context): Promise<unknown> => {
  try {
    return await c.req.json();
  } catch {
    return undefined;
  }
};

/** A response that stays open. `begin` gets what writes a line to it, and returns what to do when its reader has gone. */
function openLines(c: Context, begin: (write: (line: object) => void) => () => void): Response {
  c.header('Content-Type', 'application/jsonl');
  return stream(c, async (out) => {
    await new Promise<void>((resolve) => {
      const write = (text: string): void => void out.write(`${text}\n`).catch(resolve);
      const stop = begin((line) => write(JSON.stringify(line)));
      const signs = setInterval(() => write(''), SIGN_OF_LIFE);
      out.onAbort(() => {
        clearInterval(signs);
        stop();
        resolve();
      });
    });
  });
}

/** For the page: which sessions there are, what they say, and requests to one of them. */
function sessionsOn(app: Hono, linked: LinkedApplications): void {
  app.get('/sessions', (c) => openLines(c, (write) => linked.follow(write)));
  app.post('/sessions/:id', async (c) => {
    const message = await bodyOf(c);
    if (message === undefined) return refusal(c, -32700, 'The body is not JSON.');
    if (!isRequest(message)) return refusal(c, -32600, 'Send one JSON-RPC request.');
    const id = c.req.param('id');
    return linked.has(id) ? c.json(await linked.ask(id, message)) : c.text('There is no such session.', 404);
  });
}

const isRequest = (message: unknown): message is LinkMessage & { readonly id: number; readonly method: string } =>
  typeof message === 'object' && message !== null && 'method' in message && 'id' in message;

/** For applications: an open response brings what they are asked, and they post what they say. */
function applicationsOn(app: Hono, linked: LinkedApplications): void {
  app.post('/applications', async (c) => {
    const { name } = ((await bodyOf(c)) ?? {}) as { readonly name?: unknown };
    if (typeof name !== 'string' || name === '' || name.length > LONGEST_NAME)
      return c.text(`Send {"name": "..."}, of at most ${LONGEST_NAME} characters.`, 400);
    return openLines(c, (write) => linked.link(name, write).gone);
  });
  app.post('/applications/:id', async (c) => {
    const id = c.req.param('id');
    if (!linked.has(id)) return c.text('There is no such application: link it again.', 404);
    const messages = await bodyOf(c);
    if (!Array.isArray(messages) || !messages.every((one) => typeof one === 'object' && one !== null))
      return c.text('Send a list of JSON-RPC messages.', 400);
    for (const message of messages as LinkMessage[]) linked.said(id, message);
    return c.body(null, 204);
  });
}

/** @throws FLOE_PORT_TAKEN, FLOE_HOST_UNUSABLE */
const started = (app: Hono, port: number, hostname: string): Promise<ReturnType<typeof serve>> =>
  new Promise<ReturnType<typeof serve>>((resolve, reject) => {
    const started = serve({ fetch: app.fetch, port, hostname }, () => resolve(started));
    started.once('error', (cause: NodeJS.ErrnoException) =>
      reject(
        cause.code === 'EADDRINUSE'
          ? portTaken(port)
          : ['EADDRNOTAVAIL', 'ENOTFOUND', 'EINVAL'].includes(cause.code ?? '')
            ? hostUnusable(hostname)
            : cause,
      ),
    );
  });

export async function serveInspector(
  linked: LinkedApplications,
  { port, host, token = randomBytes(24).toString('base64url'), page }: ServingOptions,
): Promise<ServedInspector> {
  const folder = fileURLToPath(page);
  if (!existsSync(folder)) throw inspectorMissing();
  const app = new Hono();
  app.use('*', async (c, next) => {
    await next();
    c.header('Content-Security-Policy', POLICY);
    c.header('X-Content-Type-Options', 'nosniff');
    c.header('Referrer-Policy', 'no-referrer');
    c.header('Cache-Control', 'no-store');
  });
  const names = namesOf(host);
  const hosts = (): readonly string[] => names.map((name) => `${inAddress(name)}:${listening.port}`);
  app.use('*', ownNameOnly(hosts));
  app.use('/sessions/*', ownPageOnly(hosts));
  // An application is a page of its own, of another origin: the token says that it may. Nothing of the inspector's can be read.
  app.use('/applications/*', cors({ origin: (origin) => origin, allowMethods: ['POST'], maxAge: 600 }));
  for (const path of ['/sessions/*', '/applications/*'])
    app.use(path, tokenOnly(token), bodyLimit({ maxSize: MOST_SENT }));
  sessionsOn(app, linked);
  applicationsOn(app, linked);
  app.use('*', serveStatic({ root: folder }));
  const listening = { port };
  const server = await started(app, port, host);
  listening.port = (server.address() as AddressInfo).port;
  const address = (name: string): string =>
    `http://${inAddress(name)}:${listening.port}/#${new URLSearchParams({ token }).toString()}`;
  const [first, ...others] = names.filter((name) => name !== 'localhost');
  return {
    address: address(first),
    others: others.map(address),
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        if ('closeAllConnections' in server) server.closeAllConnections();
      }),
  };
}

/** Whether only this machine reaches a server that listens there. */
export const isLoopback = (host: string): boolean => ['127.0.0.1', 'localhost', '::1'].includes(host);

/** The names by which a server that listens on `host` is reached. */
function namesOf(host: string): string[] {
  if (isLoopback(host)) return [host, ...(host === 'localhost' ? ['127.0.0.1'] : ['localhost'])];
  if (host !== '0.0.0.0' && host !== '::') return [host];
  const own = Object.values(networkInterfaces()).flatMap((all) => (all ?? []).filter(({ internal }) => !internal));
  const kinds = host === '::' ? ['IPv4', 'IPv6'] : ['IPv4'];
  // Link-local addresses hold a zone, which no address on the web can.
  const outer = own.filter(({ family, scopeid }) => kinds.includes(family) && !scopeid).map(({ address }) => address);
  return ['127.0.0.1', 'localhost', ...outer];
}
const inAddress = (name: string): string => (isIPv6(name) ? `[${name}]` : name);

/**
 * Refuses requests by another name: a name in `Host` that is not this machine's is a foreign site that resolves its name to
 * this address (RFC 9110, 7.2).
 */
function ownNameOnly(hosts: () => readonly string[]): MiddlewareHandler {
  return async (c, next) =>
    hosts().includes(c.req.header('Host') ?? '')
      ? next()
      : c.text('This inspector is reached by its own name only.', 403);
}

/** Refuses what does not come from the page itself: another `Origin` is a page that sends requests across (Fetch, 3.1). */
function ownPageOnly(hosts: () => readonly string[]): MiddlewareHandler {
  return async (c, next) => {
    const origin = c.req.header('Origin');
    return origin === undefined || hosts().some((host) => origin === `http://${host}`)
      ? next()
      : c.text('This inspector serves its own page only.', 403);
  };
}

function tokenOnly(token: string): MiddlewareHandler {
  const wanted = Buffer.from(`Bearer ${token}`);
  return async (c, next) => {
    const given = Buffer.from(c.req.header('Authorization') ?? '');
    if (given.length !== wanted.length || !timingSafeEqual(given, wanted))
      return c.text('The token is missing or wrong: open the address that the command printed.', 401);
    return next();
  };
}
