// A value as a tree whose parts come in windows: ten thousand rows cost no more than those that are seen.
import { html, nothing, ref, repeat, type TemplateResult } from './libraries.js';
import type { PartShown, ValuePlace } from '../ends/index.js';
import { define, Part, run, valueView } from './part.js';
import { ScrollingPart } from './scrolling-part.js';
import { styleOf } from './style-of.js';
import { rowTools } from './tree-tools.js';

/** Pixels of a row. */
const ROW = 22;
/** Parts that are asked for at once. */
const WINDOW = 100;

/** An opened value: its parts as far as they were asked for. */
interface Node {
  readonly pointer: string;
  total: number;
  readonly parts: Map<number, PartShown>;
  /** Windows that were asked for, and those that were drawn since the last renewal. */
  readonly asked: Set<number>;
  readonly seen: Set<number>;
  readonly open: Map<string, Node>;
  /** Keys of parts that come first. */
  first: readonly string[];
}

interface TreeRow {
  readonly node: Node;
  readonly index: number;
  readonly depth: number;
  readonly part: PartShown | undefined;
}

const emptyNode = (pointer: string): Node => ({
  ...{ pointer, total: 0, parts: new Map(), asked: new Set(), seen: new Set(), open: new Map(), first: [] },
});

/**
 * A tree of a state, or of any value that the other end can show. Larger than other classes, and its file than other files: one
 * element, of which a part is drawn and asked for at a time.
 */
class Tree extends ScrollingPart {
  static override properties = {
    ...Part.properties,
    of: { attribute: false },
    since: { attribute: false },
    label: { attribute: false },
    places: { attribute: false },
    only: { attribute: false },
    isWaiting: { attribute: false },
    hit: { attribute: false },
  };
  /** Where the value stands; `pointer` is its root. */
  declare of: ValuePlace;
  /** What differs from the state before this step is marked. */
  declare since: number | undefined;
  declare label: string;
  /** Places that are opened without being asked for. */
  declare places: readonly string[];
  /** Of the first level, only these. */
  declare only: readonly string[] | undefined;
  /** Where the places that changed are still being asked for. */
  declare isWaiting: boolean | undefined;
  /** The place that was looked for. */
  declare hit: string | undefined;
  /** Windows that were asked for and are not there yet. */
  private loads = 0;
  private root = emptyNode('');
  private key = '';
  private placesKey = '';
  /** The first place that changed is still to be scrolled to. */
  private seeks = false;
  private isScrolling = false;
  private focused = 0;
  private readonly closed = new Set<string>();

  constructor() {
    super(ROW, 12);
  }

  override willUpdate(): void {
    super.willUpdate();
    // What it shows stays until it is known what to open beside it: everything is asked for once.
    if (this.isWaiting === true && this.key !== '') return;
    const key = JSON.stringify([this.of, this.since, this.places, this.hit, this.only, this.session.status?.revision]);
    if (key === this.key) return;
    const isOther = this.root.pointer !== this.of.pointer;
    this.key = key;
    const placesKey = JSON.stringify([this.of, this.places, this.hit]);
    if (placesKey !== this.placesKey) this.seeks = (this.places ?? []).length > 0;
    this.placesKey = placesKey;
    if (isOther) this.root = emptyNode(this.of.pointer);
    this.renew(this.root);
  }

  /** Asks again for all that is seen. What was there stays until the new parts are. */
  private renew(node: Node): void {
    node.first = this.firstIn(node.pointer);
    const windows = node.seen.size > 0 ? [...node.seen] : [0];
    node.asked.clear();
    node.seen.clear();
    for (const index of node.parts.keys()) if (!windows.includes(Math.floor(index / WINDOW))) node.parts.delete(index);
    // What was opened only because it had changed is closed when it has not.
    for (const [key, child] of node.open)
      if (!this.session.openPlaces.has(this.nameOf(child.pointer)) && !this.leadsToChange(child.pointer))
        node.open.delete(key);
    for (const window of windows) run(this.load(node, window, this.key));
    for (const child of node.open.values()) this.renew(child);
  }

  private leadsToChange(pointer: string): boolean {
    return (this.places ?? []).some((place) => place.startsWith(`${pointer}/`));
  }

  /** The keys that lead to the places which changed. */
  private firstIn(pointer: string): readonly string[] {
    const keys = new Set<string>();
    for (const place of this.places ?? []) {
      if (!place.startsWith(`${pointer}/`)) continue;
      const [key] = place.slice(pointer.length + 1).split('/');
      keys.add(key.replaceAll('~1', '/').replaceAll('~0', '~'));
    }
    return [...keys];
  }

  /**
   * Asks for a window of parts. The tree is drawn again once all windows that were asked for are there: rows that come
   * one after the other would push away the one that a user is about to press.
   */
  private async load(node: Node, window: number, key: string): Promise<void> {
    this.loads++;
    try {
      await this.take(node, window, key);
    } finally {
      this.loads--;
      if (this.loads === 0) {
        if (this.seeks) this.seekChanged();
        this.requestUpdate();
      }
    }
  }

  private async take(node: Node, window: number, key: string): Promise<void> {
    node.asked.add(window);
    const of = { ...this.of, pointer: node.pointer };
    const isLong = node.total > 30 || window > 0;
    // Chosen stores come first, and are all that is asked for.
    const only = node === this.root ? this.only : undefined;
    const first = only ?? (isLong && node.pointer !== '' ? node.first : []);
    const result = await this.session.ask('parts', {
      of,
      from: window * WINDOW,
      count: only?.length ?? WINDOW,
      ...(this.since !== undefined && { since: this.since }),
      ...(first.length > 0 && { first }),
    });
    if (key !== this.key) return;
    node.total = only ? Math.min(only.length, result.total) : result.total;
    result.parts.forEach((part, i) => node.parts.set(window * WINDOW + i, part));
    for (const index of node.parts.keys()) if (index >= node.total) node.parts.delete(index);
    // Only now it is known that it is long.
    if (!isLong && node.total > 30 && node.first.length > 0 && node.pointer !== '') {
      await this.take(node, window, key);
      return;
    }
    for (const part of result.parts) this.follow(node, part);
  }

  /** What is drawn may still move. */
  private get isBusy(): boolean {
    return this.loads > 0 || this.isScrolling || this.isWaiting === true;
  }

  /** Scrolls to the place that was looked for, or to the first one that changed itself. */
  private seekChanged(): void {
    const at =
      (this.hit === undefined ? undefined : this.firstWhere(this.root, ({ pointer }) => pointer === this.hit)) ??
      this.firstWhere(this.root, ({ changed }) => changed !== undefined && changed !== 'inside');
    this.seeks = false;
    if (at === undefined) return;
    this.isScrolling = true;
    run(
      this.updateComplete.then(() => {
        this.isScrolling = false;
        this.bringIntoView(at);
        this.requestUpdate();
      }),
    );
  }

  /** Scrolls so that a row is seen, if it is not. The sizes are those that the virtual list knows: asking the page costs a layout. */
  private bringIntoView(at: number): void {
    const { scrollRect, scrollOffset } = this.list();
    const height = scrollRect?.height ?? ROW * 8;
    const [top, shown] = [at * ROW, scrollOffset ?? 0];
    if (top >= shown && top + ROW <= shown + height) return;
    if (this.scroller.value) this.scroller.value.scrollTop = Math.max(0, top - height / 2);
  }

  /** How many rows stand before the first one of a kind. */
  private firstWhere(node: Node, isWanted: (part: PartShown) => boolean): number | undefined {
    let inside = 0;
    for (const [index, part] of [...node.parts].sort(([a], [b]) => a - b)) {
      if (isWanted(part)) return index + inside;
      const child = node.open.get(part.key);
      if (!child) continue;
      const found = this.firstWhere(child, isWanted);
      if (found !== undefined) return index + inside + 1 + found;
      inside += this.sizeOf(child);
    }
    return undefined;
  }

  /** Opens a part that leads to a place which changed, or that the user opened. */
  private follow(node: Node, part: PartShown): void {
    const { pointer } = part;
    const leads = this.leadsToChange(pointer);
    const isOpen = this.session.openPlaces.has(this.nameOf(pointer)) || (leads && !this.closed.has(pointer));
    if (!isOpen || node.open.has(part.key) || !isOpenable(part)) return;
    this.openPart(node, part);
  }

  private nameOf(pointer: string): string {
    return `${this.of.in}${'id' in this.of ? this.of.id : ''}${pointer}`;
  }

  private openPart(node: Node, { key, pointer }: PartShown): void {
    const child = emptyNode(pointer);
    child.first = this.firstIn(pointer);
    node.open.set(key, child);
    run(this.load(child, 0, this.key));
  }

  private toggle({ node, part }: TreeRow, open: boolean): void {
    if (!part || !isOpenable(part)) return;
    if (open && !node.open.has(part.key)) {
      this.session.openPlaces.add(this.nameOf(part.pointer));
      this.closed.delete(part.pointer);
      this.openPart(node, part);
    } else if (!open) {
      this.session.openPlaces.delete(this.nameOf(part.pointer));
      this.closed.add(part.pointer);
      node.open.delete(part.key);
    }
    this.requestUpdate();
  }

  // ---- rows ----

  /** How many rows a node has, with those of the nodes opened in it. */
  private sizeOf(node: Node): number {
    let size = node.total;
    for (const child of node.open.values()) size += this.sizeOf(child);
    return size;
  }

  private rowAt(at: number, node: Node = this.root, depth = 0): TreeRow | undefined {
    let left = at;
    // Opened parts stand where their key does: in order.
    const open: (readonly [number, Node])[] = [];
    if (node.open.size > 0)
      for (const [index, part] of node.parts) {
        const child = node.open.get(part.key);
        if (child) open.push([index, child]);
      }
    open.sort(([a], [b]) => a - b);
    let index = 0;
    for (const [place, child] of open) {
      if (left <= place - index) return { node, index: index + left, depth, part: node.parts.get(index + left) };
      left -= place - index + 1;
      const size = this.sizeOf(child);
      if (left < size) return this.rowAt(left, child, depth + 1);
      left -= size;
      index = place + 1;
    }
    return index + left < node.total
      ? { node, index: index + left, depth, part: node.parts.get(index + left) }
      : undefined;
  }

  override render(): TemplateResult {
    const count = this.sizeOf(this.root);
    const list = this.list(count);
    if (this.focused >= count) this.focused = Math.max(0, count - 1);
    return html`<div class="tree-scroll" ${ref(this.scroller)}>
      <div
        class="tree"
        role="tree"
        aria-label=${this.label}
        aria-busy=${String(this.isBusy)}
        ${styleOf({ height: `${list.getTotalSize()}px` })}
        @keydown=${(event: KeyboardEvent) => this.keyDown(event, count)}
      >
        ${repeat(
          list.getVirtualItems(),
          // An element stays with its place: where the tree moves, a click must not meet another one.
          ({ index }) => this.rowAt(index)?.part?.pointer ?? index,
          ({ index, start }) => this.row(index, start),
        )}
      </div>
    </div>`;
  }

  /** Longer than others: one row, with all that it may show. */
  private row(at: number, start: number): TemplateResult {
    const row = this.rowAt(at);
    const position = styleOf({ transform: `translateY(${start}px)`, '--depth': String(row?.depth ?? 0) });
    if (!row) return html`<div class="row" ${position}></div>`;
    const { part, node, index } = row;
    const window = Math.floor(index / WINDOW);
    node.seen.add(window);
    if (!part) {
      if (!node.asked.has(window)) queueMicrotask(() => run(this.load(node, window, this.key)));
      return html`<div class="row waiting" ${position}>…</div>`;
    }
    const isOpen = node.open.has(part.key);
    const canOpen = isOpenable(part);
    const { changed, before, link, value, key, pointer } = part;
    return html`<div
      class="row ${changed ?? ''} ${isOpen ? 'open' : ''} ${pointer === this.hit ? 'hit' : ''}"
      role="treeitem"
      aria-level=${row.depth + 1}
      aria-expanded=${canOpen ? String(isOpen) : nothing}
      aria-setsize=${node.total}
      aria-posinset=${index + 1}
      tabindex=${at === this.focused ? 0 : -1}
      data-at=${at}
      ${position}
      @focus=${() => (this.focused = at)}
      @click=${() => (canOpen ? this.toggle(row, !isOpen) : this.showHistory(pointer))}
    >
      <span class="twisty" aria-hidden="true">${canOpen ? (isOpen ? '▾' : '▸') : ''}</span>
      <span class="key">${key}</span
      >${changed === undefined ? nothing : html`<span class="for-readers">${changed === 'inside' ? 'changed inside' : changed}</span>`}
      ${changed === 'replaced' || changed === 'removed' ? html`${valueView(before ?? value, 'before')} ` : nothing}
      ${changed === 'removed' ? nothing : link ? html`<span class="arrow">→</span> ${valueView(value, changed === undefined || changed === 'inside' ? '' : 'after')}` : isOpen && (value.kind === 'object' || value.kind === 'list') ? html`<span class="quiet">${sizeText(part)}</span>` : valueView(value, changed === 'added' || changed === 'replaced' ? 'after' : '')}
      ${rowTools(part, { session: this.session, of: this.of, isFocused: at === this.focused })}
    </div>`;
  }

  /** A value tells who set it; values that are no state have no history. */
  private showHistory(pointer: string): void {
    if (this.of.in === 'state') this.session.showHistory(pointer);
  }
  private keyDown(event: KeyboardEvent, count: number): void {
    const row = this.rowAt(this.focused);
    const isOpen = row?.part !== undefined && row.node.open.has(row.part.key);
    const page = Math.max(1, Math.floor((this.scroller.value?.clientHeight ?? 200) / ROW) - 1);
    let to: number | undefined;
    switch (event.key) {
      case 'ArrowDown':
        to = this.focused + 1;
        break;
      case 'ArrowUp':
        to = this.focused - 1;
        break;
      case 'PageDown':
        to = this.focused + page;
        break;
      case 'PageUp':
        to = this.focused - page;
        break;
      case 'Home':
        to = 0;
        break;
      case 'End':
        to = count - 1;
        break;
      case 'ArrowRight':
        if (row && !isOpen) this.toggle(row, true);
        else to = this.focused + 1;
        break;
      case 'ArrowLeft':
        if (row && isOpen) this.toggle(row, false);
        else to = this.parentOf(this.focused, row?.depth ?? 0);
        break;
      case 'Enter':
      case ' ':
        if (row?.part && isOpenable(row.part)) this.toggle(row, !isOpen);
        else if (row?.part && this.of.in === 'state') this.session.showHistory(row.part.pointer);
        break;
      case 'h':
        if (row?.part && this.of.in === 'state') this.session.showHistory(row.part.pointer);
        break;
      case 'g':
        if (row?.part?.link)
          this.dispatchEvent(new CustomEvent('go-to', { detail: row.part.link.pointer, bubbles: true }));
        else if (row?.part?.value.kind === 'table')
          this.dispatchEvent(new CustomEvent('go-to', { detail: row.part.pointer, bubbles: true }));
        else if (row?.part?.linkedBy)
          this.dispatchEvent(new CustomEvent('show-links', { detail: row.part.pointer, bubbles: true }));
        break;
      default:
        return;
    }
    event.preventDefault();
    event.stopPropagation();
    if (to !== undefined) this.focusRow(Math.max(0, Math.min(count - 1, to)));
  }

  private parentOf(at: number, depth: number): number {
    for (let i = at - 1; i >= 0; i--) if ((this.rowAt(i)?.depth ?? 0) < depth) return i;
    return at;
  }

  private focusRow(at: number): void {
    this.focused = at;
    this.bringIntoView(at);
    this.requestUpdate();
    run(
      this.updateComplete.then(() => {
        requestAnimationFrame(() => this.querySelector<HTMLElement>(`[data-at="${at}"]`)?.focus());
      }),
    );
  }
}

const OPENABLE = new Set(['list', 'object', 'map', 'set', 'table', 'rows']);
const isOpenable = ({ value }: PartShown): boolean => OPENABLE.has(value.kind) && (value.size ?? 0) > 0;
const sizeText = ({ value: { kind, size = 0 } }: PartShown): string =>
  kind === 'list' ? (size === 1 ? '1 item' : `${size} items`) : size === 1 ? '1 field' : `${size} fields`;

export const defineTree = (): void => define('floe-tree', Tree);
