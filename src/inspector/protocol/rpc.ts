// JSON-RPC 2.0 over a channel: one end asks, the other one responds. Requests are answered in the order in which their work
// ends, which may be later than that of a request that came after.
import { FloeError, messageOf } from '../../core/internal.js';
import { Slice } from './slices.js';
import type { Channel, LinkError, LinkMessage, Method, Methods, LinkNotifications } from './protocol.js';

/** Two channels: what one sends, the other one hears, later in the same turn. */
export function channelPair(): readonly [Channel, Channel] {
  const listeners = [new Set<(message: LinkMessage) => void>(), new Set<(message: LinkMessage) => void>()];
  const end = (own: number): Channel => ({
    send(message) {
      void Promise.resolve().then(() => {
        for (const listener of [...listeners[1 - own]]) listener(message);
      });
    },
    listen(listener) {
      listeners[own].add(listener);
      return () => void listeners[own].delete(listener);
    },
  });
  return [end(0), end(1)];
}

/** The work of the methods that an end knows. */
export type RequestHandlers = {
  readonly [M in Method]?: (params: Methods[M]['params']) => Methods[M]['result'] | Promise<Methods[M]['result']>;
};

/**
 * Answers requests that come over a channel.
 * @param conceal takes secrets out of what is sent
 * @returns what sends notifications, and what ends it
 */
export function answer(
  channel: Channel,
  handlers: RequestHandlers,
  conceal: <T>(value: T) => T = (value) => value,
): {
  notify<N extends keyof LinkNotifications>(method: N, params: LinkNotifications[N]): void;
  end(): void;
} {
  const respond = (id: number, body: object): void => channel.send(conceal({ jsonrpc: '2.0' as const, id, ...body }));
  const end = channel.listen((message) => {
    if (!('method' in message) || !('id' in message)) return;
    const { id, method, params = {} } = message;
    const handler = Object.prototype.hasOwnProperty.call(handlers, method)
      ? (handlers[method as Method] as ((params: unknown) => unknown) | undefined)
      : undefined;
    if (!handler) {
      respond(id, { error: { code: UNKNOWN_METHOD, message: `This end does not know the method '${method}'.` } });
      return;
    }
    void work(() => handler(params)).then(
      (result) => respond(id, { result: result === undefined ? {} : result }),
      (error: unknown) => respond(id, { error: errorOf(error) }),
    );
  });
  return {
    notify: (method, params) => channel.send(conceal({ jsonrpc: '2.0', method, params })),
    end,
  };
}

/** The work of responses in slices: a page that asks for much at once still draws in between. */
const slice = new Slice();
async function work(handle: () => unknown): Promise<unknown> {
  if (slice.isOver) await slice.next();
  return handle();
}

const UNKNOWN_METHOD = -32601;
const REFUSED = -32000;

const errorOf = (error: unknown): LinkError => ({
  code: REFUSED,
  message: messageOf(error),
  ...(error instanceof FloeError && { data: { code: error.code } }),
});

/** An error that the other end sent. */
export class LinkFailure extends Error {
  override readonly name = 'LinkFailure';
  constructor(
    message: string,
    /** Floe's code for it, where it has one. */
    readonly code: string | undefined,
  ) {
    super(message);
  }
}

/** The end that asks. */
export class Asking {
  private lastId = 0;
  private readonly waiting = new Map<
    number,
    { readonly resolve: (result: never) => void; readonly reject: (error: unknown) => void }
  >();
  private readonly stop: () => void;
  private ended: string | undefined;

  constructor(
    private readonly channel: Channel,
    private readonly notified: <N extends keyof LinkNotifications>(method: N, params: LinkNotifications[N]) => void,
  ) {
    this.stop = channel.listen((message) => this.message(message));
  }

  private message(message: LinkMessage): void {
    if ('method' in message) {
      if (!('id' in message)) this.notified(message.method as keyof LinkNotifications, message.params as never);
      return;
    }
    const waiting = message.id === null ? undefined : this.waiting.get(message.id);
    if (!waiting) return;
    this.waiting.delete(message.id!);
    if (message.error) waiting.reject(new LinkFailure(message.error.message, message.error.data?.code));
    else waiting.resolve(message.result as never);
  }

  ask<M extends Method>(method: M, params: Methods[M]['params']): Promise<Methods[M]['result']> {
    if (this.ended !== undefined) return Promise.reject(new LinkFailure(this.ended, undefined));
    const id = ++this.lastId;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject });
      this.channel.send({ jsonrpc: '2.0', id, method, params });
    });
  }

  /** Nothing is answered any more. */
  end(why: string): void {
    this.ended = why;
    this.stop();
    for (const { reject } of this.waiting.values()) reject(new LinkFailure(why, undefined));
    this.waiting.clear();
  }
}
