// A table of the state, as a table: a column for each field, and only the rows that are seen.
import { html, nothing, ref, repeat, type TemplateResult } from './libraries.js';
import type { RowShown, RowsShown } from '../ends/index.js';
import { define, Part, run, valueView } from './part.js';
import { ScrollingPart } from './scrolling-part.js';
import { styleOf } from './style-of.js';

/** Pixels of a row. */
const ROW = 24;
/** Rows that are asked for at once. */
const WINDOW = 60;

class TableView extends ScrollingPart {
  static override properties = {
    ...Part.properties,
    pointer: { attribute: false },
    seq: { attribute: false },
    since: { attribute: false },
    first: { attribute: false },
  };
  declare pointer: string;
  declare seq: number;
  declare since: number | undefined;
  /** Keys of rows that come first: those that changed. */
  declare first: readonly string[];
  private columns: readonly string[] = [];
  private total = 0;
  private readonly rows = new Map<number, RowShown>();
  private readonly asked = new Set<number>();
  private key = '';

  constructor() {
    super(ROW, 8);
  }

  override willUpdate(): void {
    super.willUpdate();
    const key = JSON.stringify([this.pointer, this.seq, this.since, this.first, this.session.status?.revision]);
    if (key === this.key) return;
    this.key = key;
    const windows = this.asked.size > 0 ? [...this.asked].slice(-2) : [0];
    this.asked.clear();
    for (const window of windows) run(this.load(window, key));
  }

  private async load(window: number, key: string): Promise<void> {
    this.asked.add(window);
    const { pointer, seq, since, first } = this;
    const from = window * WINDOW;
    const result: RowsShown = await this.session.ask('rows', {
      ...{ seq, pointer, from, count: WINDOW, first },
      ...(since !== undefined && { since }),
    });
    if (key !== this.key) return;
    this.total = result.total;
    // The first rows say which columns there are: with others they would jump.
    if (window === 0 || this.columns.length === 0) this.columns = result.columns;
    for (const at of this.rows.keys()) if (!this.asked.has(Math.floor(at / WINDOW))) this.rows.delete(at);
    const places = this.columns.map((name) => result.columns.indexOf(name));
    result.rows.forEach((row, i) =>
      this.rows.set(from + i, { ...row, cells: places.map((at) => (at < 0 ? null : row.cells[at])) }),
    );
    this.requestUpdate();
  }

  override render(): TemplateResult {
    const list = this.list(this.total);
    return html`<div
      class="table-scroll"
      tabindex="0"
      role="table"
      aria-label="Rows of ${this.pointer}"
      aria-rowcount=${this.total + 1}
      aria-colcount=${this.columns.length + 1}
      ${ref(this.scroller)}
    >
      <div class="table-row table-head" role="row" aria-rowindex="1">
        <span role="columnheader">key</span>
        ${this.columns.map((name) => html`<span role="columnheader">${name}</span>`)}
      </div>
      <div class="table-rows" role="rowgroup" ${styleOf({ height: `${list.getTotalSize()}px` })}>
        ${repeat(
          list.getVirtualItems(),
          // An element stays with its row: where the table moves, a click must not meet another one.
          ({ index }) => this.rows.get(index)?.pointer ?? index,
          ({ index, start }) => this.row(index, start),
        )}
      </div>
    </div>`;
  }

  private row(at: number, start: number): TemplateResult {
    const row = this.rows.get(at);
    const place = styleOf({ transform: `translateY(${start}px)` });
    if (!row) {
      const window = Math.floor(at / WINDOW);
      if (!this.asked.has(window)) queueMicrotask(() => run(this.load(window, this.key)));
      return html`<div class="table-row" role="row" aria-rowindex=${at + 2} ${place}><span role="cell">…</span></div>`;
    }
    const { key, pointer, changed, linkedBy, cells } = row;
    const go = (detail: string, name: string) => () =>
      this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true }));
    return html`<div class="table-row ${changed ?? ''}" role="row" aria-rowindex=${at + 2} ${place}>
      <span role="rowheader">
        <button class="link" @click=${go(pointer, 'go-to')}>${key}</button>
        ${linkedBy ? html`<button class="link" @click=${go(pointer, 'show-links')}>linked by ${linkedBy}</button>` : nothing}
      </span>
      ${cells.map((cell, i) => {
        if (!cell) return html`<span role="cell"></span>`;
        const { value, before, link, changed: how } = cell;
        const isChanged = how === 'replaced' || how === 'added';
        return html`<span role="cell">
          ${how === 'replaced' && before ? valueView(before, 'before') : nothing}
          ${
            link
              ? html`<button class="link" @click=${go(link.pointer, 'go-to')}>${link.type} ${link.key}</button>`
              : html`<button
                  class="place"
                  title="History of ${this.columns[i]}"
                  @click=${() => this.session.showHistory(`${pointer}/${this.columns[i].replaceAll('~', '~0').replaceAll('/', '~1')}`)}
                >
                  ${valueView(value, isChanged ? 'after' : '')}
                </button>`
          }
        </span>`;
      })}
    </div>`;
  }
}

export const defineTable = (): void => define('floe-table', TableView);
