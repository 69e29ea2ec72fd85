// The frame in which a docked inspector stands: a document of its own. No style of the page reaches it, and no key that is
// typed in it reaches a listener of the page, not even one that captures on the window. It stands in the top layer (HTML,
// popovers), above everything with a z-index; an open modal dialog makes all that is outside of it inert, so the frame moves in.

/** Where it stands, and how large it is. */
export interface Docked {
  readonly side: 'bottom' | 'left' | 'right';
  readonly pixels: number;
}

export class DockFrame {
  readonly frame: HTMLIFrameElement;
  /** Open modal dialogs, in the order in which they were opened. */
  private modals: Element[];
  private readonly opened: MutationObserver;
  /** While the frame stands in a dialog: that dialog may be taken out of the page. */
  private readonly removed: MutationObserver;
  private docked: Docked = { side: 'bottom', pixels: 0 };

  /** The document in which the content stands. */
  private mounted: Document | undefined;

  /** @param content makes what stands in the frame; again where the frame lost its document, with all that listened there */
  constructor(
    private readonly page: Document,
    private readonly content: () => HTMLElement,
    title: string,
  ) {
    this.frame = page.createElement('iframe');
    this.frame.title = title;
    if ('popover' in this.frame) this.frame.popover = 'manual';
    // Some browsers put another empty document in once it has loaded.
    this.frame.addEventListener('load', () => this.mount());
    this.modals = Array.from(page.querySelectorAll('dialog[open]')).filter(isModal);
    this.opened = new MutationObserver((records) =>
      this.dialogsChanged(records.map(({ target }) => target as Element)),
    );
    this.opened.observe(page.documentElement, { subtree: true, attributeFilter: ['open'] });
    this.removed = new MutationObserver(() => {
      if (!this.frame.isConnected) this.place();
    });
    this.place();
  }

  close(): void {
    this.opened.disconnect();
    this.removed.disconnect();
    this.frame.remove();
  }

  dock(docked: Docked): void {
    this.docked = docked;
    const { side, pixels } = docked;
    const size = `${pixels}px`;
    // A page may say `* { all: unset }` or `iframe { width: 50% !important }`: what is important here counts more.
    const properties: Readonly<Record<string, string>> = {
      all: 'initial',
      position: 'fixed',
      inset: side === 'bottom' ? 'auto 0 0 0' : side === 'right' ? '0 0 0 auto' : '0 auto 0 0',
      width: side === 'bottom' ? '100%' : size,
      height: side === 'bottom' ? size : '100%',
      'max-width': '100%',
      'max-height': '100%',
      margin: '0',
      padding: '0',
      border: '0',
      display: 'block',
      overflow: 'hidden',
      'z-index': '2147483647',
      'color-scheme': 'normal',
      direction: 'ltr',
    };
    for (const [name, value] of Object.entries(properties)) this.frame.style.setProperty(name, value, 'important');
  }

  private dialogsChanged(changed: readonly Element[]): void {
    for (const dialog of new Set(changed)) {
      this.modals = this.modals.filter((one) => one !== dialog);
      if (isModal(dialog)) this.modals.push(dialog);
    }
    this.place();
  }

  /** Puts it into the newest open modal dialog, or else beside the body, whose transforms would move it. */
  private place(): void {
    this.modals = this.modals.filter((dialog) => dialog.isConnected && isModal(dialog));
    const { frame, page } = this;
    const host = this.modals.at(-1) ?? page.documentElement;
    if (frame.parentNode !== host) {
      this.removed.disconnect();
      move(frame, host);
      // Shown again it stands above the dialog, whose backdrop would cover it.
      if (frame.popover !== null && frame.matches(':popover-open')) frame.hidePopover();
      if (host !== page.documentElement) this.removed.observe(page, { subtree: true, childList: true });
    }
    this.mount();
    this.dock(this.docked);
    if (frame.popover !== null && !frame.matches(':popover-open')) frame.showPopover();
  }

  private mount(): void {
    const { contentDocument: inside } = this.frame;
    if (!inside || this.mounted === inside) return;
    this.mounted = inside;
    inside.documentElement.lang = 'en';
    inside.title = this.frame.title;
    for (const element of [inside.documentElement, inside.body]) {
      element.style.setProperty('height', '100%');
      element.style.setProperty('margin', '0');
    }
    inside.body.replaceChildren(this.content());
  }
}

const isModal = (element: Element): boolean => {
  try {
    return element.matches('dialog:modal');
  } catch {
    // A browser that knows no such state: the dialog is taken for one.
    return element.matches('dialog[open]');
  }
};

/** Moves an element; where the browser can, without loading its document again. */
function move(element: Element, to: Element): void {
  const moving = to as Element & { moveBefore?(node: Node, before: Node | null): void };
  try {
    if (moving.moveBefore && element.isConnected) {
      moving.moveBefore(element, null);
      return;
    }
  } catch {
    // The old place is gone.
  }
  to.append(element);
}
