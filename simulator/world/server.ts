// A server that keeps texts with entity tags (RFC 9110), and the network between it and the devices.
export const NETWORK_STATES = ['fine', 'away', 'failing', 'hanging'] as const;
export type NetworkState = (typeof NETWORK_STATES)[number];

export class Server {
  readonly texts = new Map<string, { readonly text: string; readonly tag: string }>();
  state: NetworkState = 'fine';
  /** So many of the next requests that change something are done, but their responses are lost. */
  losing = 0;
  /** So many of the next texts come cut short. */
  cutting = 0;
  private tags = 0;
  private waiting: { readonly owner: object; readonly serve: () => void }[] = [];

  /** What a device makes requests with. */
  fetch(owner: object): typeof globalThis.fetch {
    return (async (input: string, init: RequestInit = {}) => {
      const { method = 'GET' } = init;
      if (this.state === 'hanging') await new Promise<void>((resolve) => this.waiting.push({ owner, serve: resolve }));
      await Promise.resolve();
      if (this.state === 'away') throw new TypeError('fetch failed');
      if (this.state === 'failing') return new Response('', { status: 503 });
      const response = this.respond(method, decodeURIComponent(input.split('/kept/')[1] ?? ''), init);
      if (method === 'GET' || this.losing === 0) return response;
      this.losing--;
      if (this.losing % 2 === 0) throw new TypeError('the connection was reset');
      return new Response('', { status: 504 });
    }) as never;
  }

  private respond(method: string, key: string, { headers, body }: RequestInit): Response {
    const given = new Headers(headers);
    const known = this.texts.get(key);
    if (method === 'GET') {
      if (key === '') return new Response(JSON.stringify([...this.texts.keys()]));
      if (!known) return new Response('', { status: 404 });
      const isCut = this.cutting > 0;
      if (isCut) this.cutting--;
      const text = isCut ? known.text.slice(0, Math.floor(known.text.length / 2)) : known.text;
      return new Response(text, { headers: { ETag: known.tag } });
    }
    const match = given.get('If-Match');
    if ((match !== null && match !== known?.tag) || (given.get('If-None-Match') === '*' && known))
      return new Response('', { status: 412 });
    if (method === 'DELETE') {
      this.texts.delete(key);
      return new Response(null, { status: 204 });
    }
    const tag = `"${++this.tags}"`;
    this.texts.set(key, { text: body as string, tag });
    return new Response(null, { status: known ? 204 : 201, headers: { ETag: tag } });
  }

  get isWaiting(): boolean {
    return this.waiting.length > 0;
  }

  /** The network works again for what waits. */
  serve(): boolean {
    if (this.state === 'hanging' || this.waiting.length === 0) return false;
    for (const { serve } of this.waiting.splice(0)) serve();
    return true;
  }

  drop(owner: object): void {
    this.waiting = this.waiting.filter((one) => one.owner !== owner);
  }
}
