// Derived values: which are kept, what they cost, what they depend on and who uses them.
import { html, nothing, type TemplateResult } from './libraries.js';
import { duration, type DerivedDetail, type DerivedGroup, type DerivedShown, type Methods } from '../ends/index.js';
import { define, Part, plural, run, valueView } from './part.js';

type Sort = Methods['derived']['params']['sort'];

class DerivedValues extends Part {
  static override properties = {
    ...Part.properties,
    result: { state: true },
    sort: { state: true },
    opened: { state: true },
    items: { state: true },
    detail: { state: true },
    text: { state: true },
  };
  declare result: Methods['derived']['result'] | undefined;
  declare sort: Sort | undefined;
  /** The group that is open, and what is in it. */
  declare opened: string | undefined;
  declare items: Methods['derivedOf']['result'] | undefined;
  declare detail: DerivedDetail | undefined;
  declare text: string | undefined;
  private key = '';

  override connectedCallback(): void {
    super.connectedCallback();
    this.opened = this.session.takeNamed();
    this.text = this.opened;
  }

  override willUpdate(): void {
    super.willUpdate();
    const { session, sort = 'last', opened } = this;
    const { status, moment } = session;
    if (!session.can('derived')) return;
    const key = `${status?.revision} ${sort} ${moment?.number} ${opened}`;
    if (key === this.key) return;
    this.key = key;
    run(this.load(sort, key).catch((error: unknown) => session.fail(error)));
  }

  private async load(sort: Sort, key: string): Promise<void> {
    const { session, opened } = this;
    const span = this.span;
    const result = await session.ask('derived', { sort, ...span });
    const items =
      opened === undefined ? undefined : await session.ask('derivedOf', { name: opened, from: 0, count: 50, ...span });
    const detail = this.detail ? await session.ask('derivedOne', { id: this.detail.id }) : undefined;
    if (key !== this.key) return;
    this.result = result;
    this.items = items;
    if (this.detail) this.detail = detail ?? undefined;
  }

  /** The steps of the moment. */
  private get span(): { readonly since?: number; readonly to?: number } {
    const { moment } = this.session;
    return moment?.first == null || moment.last === null ? {} : { since: moment.first, to: moment.last };
  }

  override render(): TemplateResult {
    const { session, result, sort = 'last', text = '' } = this;
    if (!session.can('derived')) return html`<p class="quiet">${session.missing('derived')}</p>`;
    if (!result) return html`<p class="quiet">Reading …</p>`;
    const groups = result.groups.filter(({ name }) => name.toLowerCase().includes(text.toLowerCase()));
    return html`
      <div class="panel-bar">
        <input
          type="search"
          aria-label="Find a derived value"
          placeholder="Find a derived value …"
          .value=${text}
          @input=${(event: Event) => (this.text = (event.target as HTMLInputElement).value)}
        />
        <label
          >by
          <select
            aria-label="Order"
            .value=${sort}
            @change=${(event: Event) => (this.sort = (event.target as HTMLSelectElement).value as Sort)}
          >
            <option value="last" ?selected=${sort === 'last'}>last computed</option>
            <option value="took" ?selected=${sort === 'took'}>own time</option>
            <option value="name" ?selected=${sort === 'name'}>name</option>
          </select>
        </label>
        <span class="quiet">${plural(result.total, 'value')} kept</span>
      </div>
      ${groups.length === 0 ? html`<p class="quiet">${text === '' ? 'No selector was read yet.' : 'None has such a name.'}</p>` : nothing}
      <ul class="derived plain">
        ${groups.map((group) => this.group(group))}
      </ul>
    `;
  }

  private group(group: DerivedGroup): TemplateResult {
    const { name, count, computed, forNothing, took, own, lastSeq, watchers, failed, changed, only } = group;
    const isOpen = only ? this.detail?.id === only.id : this.opened === name;
    const open = (): void => {
      if (only) run(this.openOne(only.id));
      else {
        this.opened = isOpen ? undefined : name;
        this.detail = undefined;
      }
    };
    return html`<li class=${changed ? 'changed' : ''}>
      <button class="entry" aria-expanded=${isOpen} @click=${open}>
        <span class="name"
          >${only ? only.name : name}${count > 1 ? html` <small>${count} by arguments</small>` : nothing}</span
        >
        ${changed ? html`<span class="badge">changed by this</span>` : nothing}
        ${failed > 0 ? html`<span class="badge bad">${plural(failed, 'failure')}</span>` : nothing}
        <span class="costs"
          >${costsText({ computed, forNothing, took, own })}${lastSeq === null ? '' : ` · last at step ${lastSeq}`}${watchers > 0 ? ` · ${plural(watchers, 'watcher')}` : ''}</span
        >
        ${only?.value ? html`<span class="preview">${valueView(only.value)}</span>` : nothing}
      </button>
      ${isOpen && only ? this.opening() : nothing}
      ${
        isOpen && !only
          ? html`<ul class="plain inner">
              ${this.items?.items.map((item) => this.item(item))}
              ${this.items && this.items.total > this.items.items.length ? html`<li class="quiet">and ${plural(this.items.total - this.items.items.length, 'more')}, which cost less</li>` : nothing}
            </ul>`
          : nothing
      }
    </li>`;
  }

  private item(item: DerivedShown): TemplateResult {
    const isOpen = this.detail?.id === item.id;
    return html`<li class=${item.changed ? 'changed' : ''}>
      <button class="entry" aria-expanded=${isOpen} @click=${() => run(this.openOne(item.id))}>
        <span class="name">(${item.arguments})</span>
        ${item.changed ? html`<span class="badge">changed by this</span>` : nothing}
        <span class="costs">${costsText(item)}</span>
        <span class="preview">${valueView(item.value)}</span>
      </button>
      ${isOpen ? this.opening() : nothing}
    </li>`;
  }

  private async openOne(id: number): Promise<void> {
    if (this.detail?.id === id) {
      this.detail = undefined;
      return;
    }
    this.detail = (await this.session.try('derivedOne', { id })) ?? undefined;
  }

  private opening(): TemplateResult | typeof nothing {
    const { detail, session } = this;
    if (!detail) return nothing;
    const { id, dependsOn, usedBy, readers, watchers, computed, forNothing, lastTook, status } = detail;
    return html`<dl class="detail">
      <dt>computed</dt>
      <dd>
        ${computed === 0 ? 'not since the inspector was attached' : `${plural(computed, 'time')}, ${forNothing === 0 ? 'never for nothing' : `${forNothing} for nothing`}`}${lastTook === null ? '' : `; the last one took ${duration(lastTook)}`}${status === 'current' ? '' : html`; <b>${status}</b>`}
      </dd>
      <dt>depends on</dt>
      <dd>
        ${dependsOn.length === 0 ? 'nothing' : nothing}
        <ul class="plain">
          ${dependsOn
            .slice(0, 40)
            .map(
              ({ kind, label, pointer, aspect, id: on }) =>
                html`<li>
                  ${
                    kind === 'derived'
                      ? html`<button class="link" @click=${() => run(this.openOne(on!))}>${label}</button>`
                      : html`<button class="link" @click=${() => session.showHistory(pointer!)}>${label}</button>
                          <small>${aspect}</small>`
                  }
                </li>`,
            )}
          ${dependsOn.length > 40 ? html`<li class="quiet">and ${dependsOn.length - 40} more</li>` : nothing}
        </ul>
      </dd>
      <dt>pinned</dt>
      <dd>
        <button class="link" @click=${() => session.togglePin({ pointer: '', label: detail.name, derived: id })}>
          ${session.isPinned('', id) ? 'yes: unpin' : 'no: pin'}
        </button>
      </dd>
      <dt>used by</dt>
      <dd>
        ${usedBy.length === 0 && watchers === 0 ? 'nothing now' : nothing}
        ${watchers > 0 ? plural(watchers, 'watcher') : nothing}${watchers > 0 && readers > 0 ? ', ' : nothing}
        ${usedBy.map(({ id: by, label }, i) => html`${i > 0 ? ', ' : nothing}<button class="link" @click=${() => run(this.openOne(by))}>${label}</button>`)}
      </dd>
      <dt>value</dt>
      <dd class="tree-holder">
        <floe-tree
          .session=${session}
          .of=${{ in: 'derived', id, pointer: '' }}
          .label=${'Derived value'}
          .places=${[]}
        ></floe-tree
        >${isPlainValue(detail) ? valueView(detail.value) : nothing}
      </dd>
    </dl>`;
  }
}

const isPlainValue = ({ value }: DerivedShown): boolean =>
  value !== null && !(value.size !== undefined && value.size > 0);

/** Its own time; that of what it asked for beside it, where that is more. */
function costsText({
  computed,
  forNothing,
  took,
  own,
}: Pick<DerivedGroup, 'computed' | 'forNothing' | 'took' | 'own'>): string {
  if (computed === 0) return 'not computed since';
  const withInputs = took - own > Math.max(0.1, own / 10) ? `, ${duration(took)} with what it reads` : '';
  const nothingNew = forNothing > 0 ? `, ${forNothing} for nothing` : '';
  return `computed ${plural(computed, 'time')}${nothingNew}, ${duration(own)}${withInputs}`;
}

export const defineDerived = (): void => define('floe-derived', DerivedValues);
