// floe/inspector/link: shows a running application in the inspector of `floe inspect`, from a browser or from Node.js.
import { checkOptions } from '../../core/internal.js';
import { linkRuntime, type Inspectable } from '../ends/index.js';
import { NotedTraces } from '../in-page/interactions.js';
import { badLinkAddress } from '../protocol/errors.js';
import { LinkedChannel } from './linked-channel.js';

/** Where the inspector is, and what it calls the application. */
export interface LinkOptions {
  /** The address that `floe inspect` printed, with or without what follows the `#`. */
  readonly url: string;
  /** The key of that inspector. Default: the one in `url`. */
  readonly token?: string;
  /** What the inspector calls the application. Default: the title of the page; in Node.js, `'Node.js'`. */
  readonly name?: string;
}

/** A link to an inspector. */
export interface InspectorLink {
  /** Whether the inspector can be reached now. */
  readonly isLinked: boolean;
  /** Ends it. An open link keeps a Node.js process alive, so that one can look at what it did. */
  close(): void;
}

const noted = new NotedTraces();

/**
 * Shows a runtime in the page that `floe inspect` serves, beside other applications that are linked to it. It is for
 * development. A lost link is made again, and the console says so; a wrong token is not tried again.
 * @param runtime a runtime with a trace
 * @throws FLOE_BAD_ADDRESS for a `url` that is not an `http:` or `https:` address, or holds no token where none is given
 * @example
 * // Of a server in Node.js, with INSPECTOR_URL as `npx floe inspect` printed it.
 * if (process.env.INSPECTOR_URL) linkInspector(runtime, { url: process.env.INSPECTOR_URL, name: 'Harbour office' });
 */
export function linkInspector(runtime: Inspectable, options: LinkOptions): InspectorLink {
  checkOptions('linkInspector', options, ['url', 'token', 'name']);
  const address = addressOf(options.url);
  const token = options.token ?? new URLSearchParams(address.hash.slice(1)).get('token') ?? undefined;
  if (token === undefined || token === '') throw badLinkAddress(options.url, 'it holds no token');
  const isPage = typeof document === 'object';
  const name = options.name ?? (isPage ? document.title || 'The page' : 'Node.js');
  const channel = new LinkedChannel(address, token, name);
  const ends = [linkRuntime(runtime, channel, { name })];
  if (isPage && runtime.trace) ends.push(noted.add(runtime.trace));
  return {
    get isLinked() {
      return channel.isLinked;
    },
    close() {
      channel.close();
      for (const end of ends.splice(0)) end();
    },
  };
}

function addressOf(url: string): URL {
  let address: URL;
  try {
    address = new URL(url);
  } catch {
    throw badLinkAddress(url, 'it is no address');
  }
  if (!['http:', 'https:'].includes(address.protocol)) throw badLinkAddress(url, `it begins with ${address.protocol}`);
  return address;
}
