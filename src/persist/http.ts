import { checkOptions, rebasing } from '../core/internal.js';
import type { Attachment } from '../core/index.js';
import { StorageConflict, type StorageArea } from './area.js';
import { whenOnline, whenPageEnds } from './page.js';
import type { Persistence } from './persistence.js';
import { makeStorage, type StorageOptions } from './storage.js';

/** How state is kept on a server. */
export interface HttpStorageOptions extends StorageOptions {
  /** The address under which the texts are: `GET url/` lists the keys as a JSON array, `url/KEY` is a text. */
  readonly url: string;
  /** Headers for each request: who it is, for example. Default: none. */
  readonly headers?: Readonly<Record<string, string>>;
  /** What requests are made with. Default: the platform's `fetch`. */
  readonly fetch?: typeof globalThis.fetch;
  /** Milliseconds after which a request has failed. Default: 10,000. */
  readonly timeout?: number;
}

/**
 * Keeps state on a server, by plain HTTP: `GET`, `PUT` and `DELETE` with entity tags (RFC 9110), so that no session
 * overwrites what another writer stored meanwhile. `docs/reference/http-storage.md` says what the server must do.
 * @example
 * createRuntime({ stores: [log], storage: httpStorage({ url: '/api/kept/duty-desk' }) });
 */
export const httpStorage = (options: HttpStorageOptions): Attachment<Persistence> => {
  checkOptions('httpStorage', options, ['url', 'headers', 'fetch', 'timeout', 'writeAfter']);
  return makeStorage(() => httpArea(options), { writeAfter: options.writeAfter }, { late: rebasing });
};

/** Below 65,536, since other requests of the page may be on their way as well. */
const MOST_KEPT_ALIVE = 60_000;

/** The bytes of a text in UTF-8. */
const sizeOf = (text: string): number => new TextEncoder().encode(text).length;

/** Aborts after some milliseconds; some hosts lack `AbortSignal.timeout`. */
function signalAfter(ms: number): AbortSignal {
  if (typeof AbortSignal.timeout === 'function') return AbortSignal.timeout(ms);
  const controller = new AbortController();
  const timer: unknown = setTimeout(() => controller.abort(new Error(`no response within ${ms} ms`)), ms);
  // It keeps no process of Node.js alive.
  (timer as { unref?(): void }).unref?.();
  return controller.signal;
}

/** Asks the server, and remembers the entity tag of each text that it saw. */
class TaggedTexts {
  private readonly tags = new Map<string, string>();
  readonly base: string;

  constructor(private readonly options: HttpStorageOptions) {
    this.base = options.url.replace(/\/$/, '');
  }

  /** @throws where the server responds with neither success nor 404 nor 412 */
  async ask(
    method: string,
    key: string,
    more: { readonly body?: string; readonly headers?: Record<string, string>; readonly keepalive?: boolean } = {},
  ): Promise<Response> {
    const { headers = {}, fetch = globalThis.fetch, timeout = 10_000 } = this.options;
    const response = await fetch(`${this.base}/${encodeURIComponent(key)}`, {
      ...more,
      method,
      headers: { ...headers, ...more.headers },
      signal: signalAfter(timeout),
    });
    if (response.ok || response.status === 404 || response.status === 412) return response;
    throw new Error(`the server responded with ${response.status} ${response.statusText} to ${method} ${response.url}`);
  }

  /** Only the text that was seen is written over: none, where none was. */
  conditionOf(key: string): Record<string, string> {
    return this.ifSeen(key) ?? { 'If-None-Match': '*' };
  }

  ifSeen(key: string): Record<string, string> | undefined {
    const tag = this.tags.get(key);
    return tag === undefined ? undefined : { 'If-Match': tag };
  }

  forget(key: string): void {
    this.tags.delete(key);
  }

  note(key: string, response: Response): void {
    const tag = response.headers.get('ETag');
    if (response.ok && tag !== null) this.tags.set(key, tag);
    else this.tags.delete(key);
  }
}

/**
 * An area on a server. It remembers the entity tag of each text that it saw, and writes only over that one.
 * @example
 * const area = httpArea({ url: 'https://office.example/kept' });
 */
export function httpArea(options: HttpStorageOptions) {
  const texts = new TaggedTexts(options);
  /** Bytes of bodies that outlive the page. */
  let onTheirWay = 0;
  return {
    async read(key: string): Promise<string | undefined> {
      const response = await texts.ask('GET', key);
      // A proxy or a sign-in page responds with something, too: only a text with a tag is one that was stored.
      if (response.ok && response.headers.get('ETag') === null)
        throw new Error(`the response to GET ${response.url} has no ETag, so it is not what is stored there`);
      texts.note(key, response);
      return response.ok ? response.text() : undefined;
    },
    async write(key: string, text: string): Promise<void> {
      const size = sizeOf(text);
      // The page may be gone before the response: browsers take bodies along, up to 64 KiB on their way at once (Fetch, 4.6).
      const keepalive = onTheirWay + size <= MOST_KEPT_ALIVE;
      if (keepalive) onTheirWay += size;
      const response = await texts
        .ask('PUT', key, {
          body: text,
          headers: { 'Content-Type': 'text/plain; charset=utf-8', ...texts.conditionOf(key) },
          keepalive,
        })
        .finally(() => {
          if (keepalive) onTheirWay -= size;
        });
      if (!response.ok) throw new StorageConflict(`another client has written '${key}' meanwhile (${response.status})`);
      texts.note(key, response);
    },
    async remove(key: string): Promise<void> {
      const response = await texts.ask('DELETE', key, { headers: texts.ifSeen(key) ?? {} });
      if (response.status === 412) throw new StorageConflict(`another client has written '${key}' meanwhile (412)`);
      texts.forget(key);
    },
    async keys(): Promise<readonly string[]> {
      const response = await texts.ask('GET', '');
      const keys = response.ok ? ((await response.json()) as unknown) : [];
      if (!Array.isArray(keys)) throw new Error(`${texts.base}/ does not respond with a list of keys`);
      return keys.map(String);
    },
    isShared: true,
    beforeEnd: whenPageEnds,
    backAgain: whenOnline,
  } satisfies StorageArea;
}
