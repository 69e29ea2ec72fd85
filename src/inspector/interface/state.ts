// The state at the cursor, with what the chosen step changed.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { Methods } from '../ends/index.js';
import { loadMore } from './on-demand.js';
import { define, Part, plural, run } from './part.js';

class State extends Part {
  static override properties = {
    ...Part.properties,
    places: { state: true },
    links: { state: true },
    choosing: { state: true },
    root: { state: true },
    isTable: { state: true },
    setting: { state: true },
  };
  /** The place that is being set, and its JSON text. */
  declare setting: { readonly pointer: string; readonly text: string } | undefined;
  declare places: readonly string[] | undefined;
  declare links: (Methods['linkedBy']['result'] & { readonly of: string }) | undefined;
  declare choosing: boolean | undefined;
  /** The place that is shown instead of all stores. */
  declare root: string | undefined;
  /** The place that is shown is a table. */
  declare isTable: boolean | undefined;
  private names: readonly string[] = [];
  private only: readonly string[] | undefined;
  private key = '';
  /** What `places` were asked for. */
  private placesKey = '';

  protected override readonly listensTo = ['change', 'state'];

  protected override shouldUpdate(): boolean {
    return !this.session.holds('state') || !this.hasUpdated;
  }

  override willUpdate(): void {
    super.willUpdate();
    const { seq, since } = this.session;
    const key = `${seq} ${since} ${this.root} ${this.session.status?.revision}`;
    if (key === this.key || seq === undefined) return;
    this.key = key;
    run(this.load(seq, since ?? seq, key));
  }

  private async load(seq: number, since: number, key: string): Promise<void> {
    // Of a step on another branch nothing is marked.
    const { pointers } = await this.session.ask('changed', { seq, since }).catch(() => ({ pointers: [] }));
    const { parts } = await this.session.ask('parts', { of: { in: 'state', seq, pointer: '' }, from: 0, count: 200 });
    const { root = '' } = this;
    const shown =
      root === ''
        ? undefined
        : await this.session.ask('parts', { of: { in: 'state', seq, pointer: root }, from: 0, count: 0 });
    const isTable = shown?.value?.kind === 'table';
    if (isTable) await loadMore();
    if (key !== this.key) return;
    this.isTable = isTable;
    this.names = parts.map((part) => part.key);
    this.places = pointers;
    this.placesKey = key;
  }

  private chooser(): TemplateResult {
    return html`<div class="chooser" role="group" aria-label="Stores to show">
      ${this.names.map(
        (name) =>
          html`<label
            ><input
              type="checkbox"
              .checked=${this.only?.includes(name) ?? true}
              @change=${(event: Event) => this.choose(name, (event.target as HTMLInputElement).checked)}
            />${name}</label
          >`,
      )}
    </div>`;
  }

  private linking({ of, total, rows }: NonNullable<typeof this.links>): TemplateResult {
    return html`<div class="links" role="group" aria-label="Rows that link here">
      <b>${of}</b> is linked by ${plural(total, 'row')}:
      ${rows.slice(0, 40).map(({ label, pointer }) => html`<button class="link" @click=${() => this.goTo(pointer)}>${label}</button> `)}
      <button @click=${() => (this.links = undefined)}>Close</button>
    </div>`;
  }

  override render(): TemplateResult {
    const { session } = this;
    const { seq, since, status } = session;
    if (seq === undefined) return html`<p class="quiet">There is no step yet, so there is no state to show.</p>`;
    const root = this.root ?? '';
    return html`
      <div class="panel-bar">
        <span class="quiet"
          >after step
          ${seq}${since !== undefined && since !== seq ? html`; marked: since step ${since}` : nothing}${status?.cursor !== null && status?.isLive === false ? html`; the page shows step ${status.cursor}` : nothing}</span
        >
        ${session.hit === undefined ? nothing : html`<button @click=${() => session.show(session.hitFrom)}>Back to ${session.hitFrom === 'model' ? 'the model' : 'what was found'}</button>`}
        ${root === '' ? nothing : html`<button @click=${() => (this.root = '')}>All stores</button> <code>${root}</code>`}
        ${
          root === '' && this.names.length > 1
            ? html`<button aria-expanded=${this.choosing ?? false} @click=${() => (this.choosing = !this.choosing)}>
                Stores
              </button>`
            : nothing
        }
      </div>
      ${this.choosing ? this.chooser() : nothing} ${this.links ? this.linking(this.links) : nothing}
      ${this.setting ? this.settingForm(this.setting) : nothing}
      <div
        class="state-of-stores"
        @set-place=${(event: CustomEvent<string>) => run(this.beginSetting(event.detail))}
        @go-to=${(event: CustomEvent<string>) => this.goTo(event.detail)}
        @show-links=${(event: CustomEvent<string>) => run(this.showLinks(event.detail, seq))}
      >
        ${
          this.isTable
            ? html`<floe-table
                .session=${session}
                .pointer=${root}
                .seq=${seq}
                .since=${since}
                .first=${this.firstRows(root)}
              ></floe-table>`
            : html`<floe-tree
                .session=${session}
                .of=${{ in: 'state', seq, pointer: root }}
                .since=${since}
                .places=${session.hit === undefined ? (this.places ?? []) : [session.hit]}
                .hit=${session.hit}
                .only=${this.only}
                .isWaiting=${this.placesKey !== this.key}
                .label=${`State after step ${seq}`}
              ></floe-tree>`
        }
      </div>
    `;
  }

  private async beginSetting(pointer: string): Promise<void> {
    const { session } = this;
    const seq = session.status?.lastSeq;
    if (seq == null) return;
    const result = await session.try('text', { of: { in: 'state', seq, pointer } });
    if (!result) return;
    if (result.cut)
      session.say({ kind: 'problem', text: 'The value is too long to be edited here: set a part of it.' });
    else this.setting = { pointer, text: result.text };
    await this.updateComplete;
    this.querySelector<HTMLElement>('.setting textarea')?.focus();
  }

  private settingForm({ pointer, text }: NonNullable<typeof this.setting>): TemplateResult {
    const { session } = this;
    const close = (): void => {
      this.setting = undefined;
    };
    const submit = async (event: Event): Promise<void> => {
      event.preventDefault();
      const value = new FormData(event.target as HTMLFormElement).get('value') as string;
      // What is refused stays as it was written.
      if (!(await session.try('edit', { pointer, value }))) return;
      close();
      await session.follow();
      session.say({ kind: 'done', text: `${pointer} is set.` });
    };
    return html`<form
      class="setting"
      aria-label="Set ${pointer}"
      @submit=${(event: Event) => run(submit(event))}
      @keydown=${(event: KeyboardEvent) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        close();
      }}
    >
      <label
        ><span><code>${pointer}</code>, as JSON</span>
        <textarea name="value" rows="2" spellcheck="false" .value=${text}></textarea>
      </label>
      <button class="on">Set</button><button type="button" @click=${close}>Close</button>
    </form>`;
  }

  private goTo(pointer: string): void {
    this.links = undefined;
    this.isTable = false;
    this.root = pointer;
  }

  /** The keys of the rows that changed. */
  private firstRows(table: string): readonly string[] {
    const inside = (this.places ?? []).filter((place) => place.startsWith(`${table}/`));
    return [...new Set(inside.map((place) => place.slice(table.length + 1).split('/')[0]))].map((key) =>
      key.replaceAll('~1', '/').replaceAll('~0', '~'),
    );
  }

  private async showLinks(pointer: string, seq: number): Promise<void> {
    const result = await this.session.try('linkedBy', { seq, pointer });
    if (result) this.links = { ...result, of: pointer.split('/').slice(-2).join(' ') };
  }

  private choose(name: string, on: boolean): void {
    const shown = this.only ?? this.names;
    const next = on ? [...shown, name] : shown.filter((one) => one !== name);
    this.only = next.length === this.names.length ? undefined : next;
    this.requestUpdate();
  }
}

export const defineState = (): void => define('floe-state', State);
