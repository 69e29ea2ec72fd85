// floe/inspector: looks into a running application, beside its page.
import { knowTables } from '../entities/internal.js';
import { channelPair, linkRuntime, type Channel, type Inspectable } from './ends/index.js';
import { DockFrame } from './in-page/dock-frame.js';
import { NotedTraces } from './in-page/interactions.js';
import { checkOptions } from '../core/internal.js';
import { isField } from './interface/fields.js';
import { defineInspector, type Dock, type InspectorElement } from './interface/inspector.js';
import { Session } from './interface/session.js';

export type { Channel, LinkMessage } from './ends/index.js';

/** How an inspector is shown. */
export interface InspectorOptions {
  /** Where it is docked. Default: `'bottom'`. */
  readonly dock?: 'bottom' | 'left' | 'right';
  /** Whether it begins folded into one line. Default: in windows narrower than 720 pixels. */
  readonly folded?: boolean;
  /**
   * A key of the page that opens the inspector, gives it the focus, and folds it again: `'F2'`. In fields it types what it
   * types. Default: none.
   */
  readonly key?: string;
  /**
   * The tests that it writes: `model` is the module from which they import `stores`, as a test file sees it.
   * Default: `{ model: './model/index.js' }`.
   */
  readonly tests?: { readonly model: string };
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
  checkOptions('showInspector', options, ['dock', 'folded', 'name', 'key', 'tests']);
  const { dock = 'bottom', folded = window.innerWidth < NARROW, name = document.title || 'The page' } = options;
  defineInspector();
  // Files may hold tables.
  knowTables();
  const ends: (() => void)[] = [];
  let channel: Channel;
  if ('channel' in what) channel = what.channel;
  else {
    const [ours, theirs] = channelPair();
    channel = ours;
    ends.push(linkRuntime(what, theirs, { name }));
    if (what.trace) ends.push(noted.add(what.trace));
  }
  const session = new Session(channel, name);
  if (options.tests) {
    checkOptions('showInspector, tests', options.tests, ['model']);
    session.testModel = options.tests.model;
  }
  const one = (shown ??= show(dock, folded, options.key));
  // A second runtime of the page is a second session of one inspector.
  one.element.sessions = [...one.element.sessions, session];
  return {
    open: (file) => one.element.openFile(file),
    close() {
      // Closed before; another inspector may be shown since.
      if (session.ended !== undefined) return;
      const { element } = one;
      for (const end of ends) end();
      session.end('The inspector was closed.');
      element.closeSession(session);
      if (element.sessions.some(({ hello }) => hello?.kind !== 'file')) return;
      for (const other of element.sessions) other.end('The inspector was closed.');
      one.close();
      if (shown === one) shown = undefined;
    },
  };
}

/** The one inspector of the page, while it is shown. */
let shown: { readonly element: InspectorElement; close(): void } | undefined;
const noted = new NotedTraces();

function show(dock: Dock, folded: boolean, key: string | undefined): NonNullable<typeof shown> {
  let element = document.createElement('floe-inspector');
  element.dock = dock;
  element.folded = folded;
  const pressed = (event: KeyboardEvent): void => {
    if (event.key !== key || event.ctrlKey || event.metaKey || event.altKey || isField(event)) return;
    event.preventDefault();
    element.folded = !element.folded;
    if (!element.folded) void element.updateComplete.then(() => element.takeFocus());
    else window.focus();
  };
  const room = new Room();
  const content = (): InspectorElement => {
    if (element.isMounted) element = element.renewed();
    element.toggleKey = key;
    element.onPageKey = key === undefined ? undefined : pressed;
    element.onSize = (pixels) => {
      const side = element.folded || element.dock === 'page' ? 'bottom' : element.dock;
      frame.dock({ side, pixels });
      room.make(side, pixels);
    };
    return element;
  };
  const frame: DockFrame = new DockFrame(document, content, 'Inspector');
  if (key !== undefined) window.addEventListener('keydown', pressed, { capture: true });
  const clamp = (): void => element.clamp();
  window.addEventListener('resize', clamp);
  return {
    get element() {
      return element;
    },
    close() {
      window.removeEventListener('resize', clamp);
      window.removeEventListener('keydown', pressed, { capture: true });
      element.onSize = undefined;
      frame.close();
      room.end();
    },
  };
}

/** Pixels: a narrower window begins with a folded inspector. */
const NARROW = 720;

/** The room that the page leaves for the inspector. */
class Room {
  private readonly body = document.body.style;
  private readonly before = [this.body.paddingBottom, this.body.paddingLeft, this.body.paddingRight] as const;

  make(side: 'bottom' | 'left' | 'right', pixels: number): void {
    this.clear();
    if (side === 'bottom') this.body.paddingBottom = `${pixels}px`;
    else if (side === 'left') this.body.paddingLeft = `${pixels}px`;
    else this.body.paddingRight = `${pixels}px`;
    document.documentElement.style.setProperty('--floe-inspector-size', side === 'bottom' ? `${pixels}px` : '0px');
  }

  private clear(): void {
    [this.body.paddingBottom, this.body.paddingLeft, this.body.paddingRight] = this.before;
  }

  /** Takes it back. */
  end(): void {
    this.clear();
    document.documentElement.style.removeProperty('--floe-inspector-size');
  }
}
