// floe/inspector: looks into a running application, beside its page.
import { knowTables } from '../entities/internal.js';
import { channelPair, linkRuntime, type Channel, type Inspectable } from './ends/index.js';
import { noteInteractions } from './in-page/interactions.js';
import { checkOptions } from '../core/internal.js';
import { defineInspector, type Dock, type InspectorElement } from './interface/inspector.js';
import { Session } from './interface/session.js';

export type { Channel, LinkMessage } from './ends/index.js';

/** How an inspector is shown. */
export interface InspectorOptions {
  /** Where it is docked. Default: `'bottom'`. */
  readonly dock?: 'bottom' | 'left' | 'right';
  /** Whether it begins folded into one line. Default: in windows narrower than 720 pixels. */
  readonly folded?: boolean;
  /** What it calls the application. Default: the title of the page. */
  readonly name?: string;
}

/** An inspector that is shown. */
export interface Inspector {
  /** Opens a trace file beside the application. */
  open(file: Pick<File, 'name' | 'text'>): Promise<void>;
  /** Takes it out of the page. */
  close(): void;
}

/** Something that speaks the link protocol: an application in a frame, a worker, or one that has no Floe. */
export interface Linked {
  readonly channel: Channel;
}

/**
 * Shows the inspector in the page: what the user's clicks led to, and why. It is for development: import it on demand.
 * The page gets room for it: the padding of its body, and the custom property `--floe-inspector-size`.
 * @param what a runtime with a trace, or a channel to something that speaks the link protocol
 * @example
 * if (import.meta.env.DEV) void import('floe/inspector').then(({ showInspector }) => showInspector(runtime));
 */
export function showInspector(what: Inspectable | Linked, options: InspectorOptions = {}): Inspector {
  checkOptions('showInspector', options, ['dock', 'folded', 'name']);
  const { dock = 'bottom', folded = window.innerWidth < NARROW, name = document.title || 'The page' } = options;
  defineInspector();
  // Files may hold tables.
  knowTables();
  const element = document.createElement('floe-inspector');
  const ends: (() => void)[] = [];
  let channel: Channel;
  if ('channel' in what) channel = what.channel;
  else {
    const [ours, theirs] = channelPair();
    channel = ours;
    ends.push(linkRuntime(what, theirs, { name }));
    if (what.trace) ends.push(noteInteractions(what.trace, window, () => element));
  }
  element.dock = dock;
  element.folded = folded;
  element.sessions = [new Session(channel, name)];
  ends.push(makeRoom(element));
  document.body.append(element);
  return {
    open: (file) => element.openFile(file),
    close() {
      for (const end of ends) end();
      for (const session of element.sessions) session.end('The inspector was closed.');
      element.remove();
    },
  };
}

/** Pixels: a narrower window begins with a folded inspector. */
const NARROW = 720;

/** Gives the page room beside the inspector. Returns a function that takes it back. */
function makeRoom(element: InspectorElement): () => void {
  const { style } = document.body;
  const root = document.documentElement.style;
  const before = [style.paddingBottom, style.paddingLeft, style.paddingRight] as const;
  const clear = (): void => {
    [style.paddingBottom, style.paddingLeft, style.paddingRight] = before;
  };
  element.onSize = (pixels) => {
    clear();
    const side: Dock = element.folded ? 'bottom' : element.dock;
    if (side === 'bottom') style.paddingBottom = `${pixels}px`;
    else if (side === 'left') style.paddingLeft = `${pixels}px`;
    else style.paddingRight = `${pixels}px`;
    root.setProperty('--floe-inspector-size', side === 'bottom' ? `${pixels}px` : '0px');
  };
  return () => {
    element.onSize = undefined;
    clear();
    root.removeProperty('--floe-inspector-size');
  };
}
