// The server behind `floe inspect`: the inspector's page, and the link as HTTP. It listens on the loopback address alone,
// answers its own page only, and wants the token that the command printed.
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { existsSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { fileURLToPath } from 'node:url';
import type { Channel, LinkMessage, LinkResponse } from '../inspector/ends/index.js';
import { inspectorMissing, portTaken } from './errors.js';
import { bodyLimit, Hono, serve, serveStatic, stream, type MiddlewareHandler } from './server-libraries.js';

/** Bytes of a request: a session that takes the place of another one is the largest. */
const MOST_SENT = 512 * 1024 * 1024;

/** Nothing is loaded but the page's own files, and nothing in a session can become a script. */
const POLICY =
  "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'; require-trusted-types-for 'script'; trusted-types lit-html";

export interface ServedInspector {
  /** With the token: whoever has it can read the session. */
  readonly address: string;
  close(): Promise<void>;
}

/** The two halves of the link: requests are posted, and what the runtime says by itself is a stream of lines. */
function messagesOn(app: Hono, link: HttpLink): void {
  app.post('/messages', async (c) => {
    let message: LinkMessage;
    try {
      message = await c.req.json();
    } catch {
      return c.json({ jsonrpc: '2.0', id: null, error: { code: -32700, message: 'The body is not JSON.' } }, 400);
    }
    if (typeof message !== 'object' || message === null || !('method' in message) || !('id' in message))
      return c.json({ jsonrpc: '2.0', id: null, error: { code: -32600, message: 'Send one JSON-RPC request.' } }, 400);
    return c.json(await link.ask(message));
  });
  app.get('/messages', (c) => {
    c.header('Content-Type', 'application/jsonl');
    return stream(c, async (out) => {
      await new Promise<void>((resolve) => {
        const stop = link.follow((line) => void out.write(`${line}\n`).catch(resolve));
        out.onAbort(() => {
          stop();
          resolve();
        });
      });
    });
  });
}

/** @throws FLOE_PORT_TAKEN */
const started = (app: Hono, port: number): Promise<ReturnType<typeof serve>> =>
  new Promise<ReturnType<typeof serve>>((resolve, reject) => {
    const started = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, () => resolve(started));
    started.once('error', (cause: NodeJS.ErrnoException) =>
      reject(cause.code === 'EADDRINUSE' ? portTaken(port) : cause),
    );
  });

export async function serveInspector(
  channel: Channel,
  { port, page, name }: { readonly port: number; readonly page: URL; readonly name: string },
): Promise<ServedInspector> {
  const folder = fileURLToPath(page);
  if (!existsSync(folder)) throw inspectorMissing();
  const token = randomBytes(24).toString('base64url');
  const link = new HttpLink(channel);
  const app = new Hono();
  app.use('*', async (c, next) => {
    await next();
    c.header('Content-Security-Policy', POLICY);
    c.header('X-Content-Type-Options', 'nosniff');
    c.header('Referrer-Policy', 'no-referrer');
    c.header('Cache-Control', 'no-store');
  });
  app.use(
    '*',
    ownPageOnly(() => listening.port),
  );
  app.use('/messages', tokenOnly(token), bodyLimit({ maxSize: MOST_SENT }));
  messagesOn(app, link);
  app.use('*', serveStatic({ root: folder }));
  const listening = { port };
  const server = await started(app, port);
  listening.port = (server.address() as AddressInfo).port;
  const key = new URLSearchParams({ token, name }).toString();
  return {
    address: `http://127.0.0.1:${listening.port}/#${key}`,
    close: () =>
      new Promise((resolve) => {
        link.end();
        server.close(() => resolve());
        if ('closeAllConnections' in server) server.closeAllConnections();
      }),
  };
}

/**
 * Refuses what does not come from the page itself: another name in `Host` is a foreign site that resolves its name to this
 * address, another `Origin` a page that sends requests across (RFC 9110, 7.4; Fetch, 3.1).
 */
function ownPageOnly(port: () => number): MiddlewareHandler {
  return async (c, next) => {
    const own = [`127.0.0.1:${port()}`, `localhost:${port()}`];
    if (!own.includes(c.req.header('Host') ?? '')) return c.text('This inspector serves its own page only.', 403);
    const origin = c.req.header('Origin');
    if (origin !== undefined && !own.some((host) => origin === `http://${host}`))
      return c.text('This inspector serves its own page only.', 403);
    return next();
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

/** Requests of several pages over one channel: each gets a number of its own on the way. */
class HttpLink {
  private lastId = 0;
  private readonly waiting = new Map<number, (response: LinkResponse) => void>();
  private readonly followers = new Set<(line: string) => void>();
  private readonly stop: () => void;

  constructor(private readonly channel: Channel) {
    this.stop = channel.listen((message) => {
      if ('method' in message) {
        const line = JSON.stringify(message);
        for (const follower of this.followers) follower(line);
        return;
      }
      const resolve = this.waiting.get(message.id!);
      this.waiting.delete(message.id!);
      resolve?.(message);
    });
  }

  ask(message: LinkMessage & { readonly id: number | null }): Promise<LinkResponse> {
    const id = ++this.lastId;
    return new Promise((resolve) => {
      this.waiting.set(id, (response) => resolve({ ...response, id: message.id }));
      this.channel.send({ ...message, id });
    });
  }

  follow(follower: (line: string) => void): () => void {
    this.followers.add(follower);
    return () => void this.followers.delete(follower);
  }

  end(): void {
    this.stop();
  }
}
