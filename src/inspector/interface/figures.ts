// Figures: what costs most, in one table that sorts.
import { html, type TemplateResult } from './libraries.js';
import { duration, type Figure, type Methods } from '../ends/index.js';
import { define, Part } from './part.js';

type Column = 'name' | 'count' | 'took' | 'each' | 'longest' | 'characters';

class Figures extends Part {
  static override properties = {
    ...Part.properties,
    result: { state: true },
    by: { state: true },
    isRising: { state: true },
    kind: { state: true },
  };
  declare result: Methods['figures']['result'] | undefined;
  declare by: Column | undefined;
  declare isRising: boolean | undefined;
  declare kind: Figure['kind'] | undefined;

  override willUpdate(): void {
    super.willUpdate();
    const { session } = this;
    this.askWhen(
      String(session.status?.revision),
      () => session.ask('figures', {}),
      (result) => (this.result = result),
    );
  }

  override render(): TemplateResult {
    const { result, kind, by = 'took', isRising = false } = this;
    if (!result) return html`<p class="quiet">Reading …</p>`;
    const rows = result.rows.filter((row) => kind === undefined || row.kind === kind);
    const sorted = [...rows].sort((a, b) => (isRising ? 1 : -1) * compared(valueOf(a, by), valueOf(b, by)));
    return html`
      <div class="panel-bar" role="group" aria-label="Kinds">
        ${([undefined, 'action', 'task', 'selector', 'watcher', 'stored'] as const).map(
          (one) =>
            html`<button
              aria-pressed=${kind === one}
              class=${kind === one ? 'on' : ''}
              @click=${() => (this.kind = one)}
            >
              ${one === undefined ? 'all' : KINDS[one]}
            </button>`,
        )}
        <span class="quiet"
          >${result.isObserved ? 'selectors, watchers and storages since the inspector was attached' : 'of the recorded steps; selectors and watchers were not observed'}</span
        >
      </div>
      ${sorted.length === 0 ? html`<p class="quiet">Nothing of this kind has happened yet.</p>` : this.table(sorted, by, isRising)}
    `;
  }

  private table(rows: readonly Figure[], by: Column, isRising: boolean): TemplateResult {
    return html`<table class="list figures">
      <thead>
        <tr>
          ${COLUMNS.map(([column, label]) => this.head(column, label, by, isRising))}
        </tr>
      </thead>
      <tbody>
        ${rows.map(
          (row) =>
            html`<tr>
              <th scope="row">${row.name} <small>${row.kind}</small></th>
              <td class="figure">${row.count.toLocaleString('en')}</td>
              <td class="figure">${timeText(row.took)}</td>
              <td class="figure">${timeText(valueOf(row, 'each') as number | null)}</td>
              <td class="figure">${timeText(row.longest)}</td>
              <td class="figure">${row.characters == null ? '' : row.characters.toLocaleString('en')}</td>
            </tr>`,
        )}
      </tbody>
    </table>`;
  }

  private head(column: Column, label: string, by: Column, isRising: boolean): TemplateResult {
    const isBy = by === column;
    return html`<th scope="col" aria-sort=${isBy ? (isRising ? 'ascending' : 'descending') : 'none'}>
      <button
        class="place"
        @click=${() => {
          this.isRising = isBy ? !isRising : column === 'name';
          this.by = column;
        }}
      >
        ${label}${isBy ? (isRising ? ' ↑' : ' ↓') : ''}
      </button>
    </th>`;
  }
}

const COLUMNS: readonly (readonly [Column, string])[] = [
  ['name', 'what'],
  ['count', 'how often'],
  ['took', 'time in all'],
  ['each', 'each'],
  ['longest', 'longest'],
  ['characters', 'characters'],
];
const KINDS: Readonly<Record<Figure['kind'], string>> = {
  action: 'only actions',
  task: 'only tasks',
  selector: 'only selectors',
  watcher: 'only watchers',
  stored: 'only what is stored',
};

function valueOf(row: Figure, column: Column): string | number | null {
  if (column === 'each') return row.took === null || row.count === 0 ? null : row.took / row.count;
  return column === 'characters' ? (row.characters ?? null) : row[column];
}

function compared(a: string | number | null, b: string | number | null): number {
  if (typeof a === 'string' || typeof b === 'string') return String(a) < String(b) ? -1 : 1;
  return (a ?? -1) - (b ?? -1);
}

const timeText = (ms: number | null): string => (ms === null ? '' : duration(ms));

export const defineFigures = (): void => define('floe-figures', Figures);
