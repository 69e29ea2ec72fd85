// What is stored: each store, its size and version, what waits to be written, what was set aside, and what went wrong.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { Methods, StoredShown } from '../ends/index.js';
import { clock, define, Part, plural, run, saveFile } from './part.js';

class Stored extends Part {
  static override properties = { ...Part.properties, result: { state: true }, asked: { state: true } };
  /** `null` where nothing is kept. */
  declare result: Methods['stored']['result'] | undefined;
  /** The store that is to be forgotten, once that is confirmed. */
  declare asked: string | undefined;
  private key = '';

  override willUpdate(): void {
    super.willUpdate();
    const { session } = this;
    const key = String(session.status?.revision);
    if (key === this.key || !session.can('stored')) return;
    this.key = key;
    run(this.load());
  }

  private async load(): Promise<void> {
    const result = await this.session.try('stored', {});
    if (result !== undefined) this.result = result;
  }

  override render(): TemplateResult {
    const { session, result } = this;
    if (!session.can('stored')) return html`<p class="quiet">${session.missing('stored')}</p>`;
    if (result === undefined) return html`<p class="quiet">Reading …</p>`;
    if (result === null)
      return html`<p class="quiet">
        This runtime keeps nothing: give it a storage with <code>createRuntime({ storage })</code>, and say which stores
        are <code>persisted()</code>.
      </p>`;
    const { items, pending, problems, status, tab } = result;
    const size = items.reduce((sum, item) => sum + item.size, 0);
    return html`
      <div class="panel-bar">
        <span class="quiet"
          >${plural(items.length, 'text')}, ${size.toLocaleString('en')} characters ·
          ${STATUSES[status] ?? status}${tab === 'alone' ? '' : ` · this tab is ${tab}`}</span
        >
        <button ?disabled=${pending.length === 0} @click=${() => run(this.act('flush', {}, 'All changes are stored.'))}>
          Store now${pending.length === 0 ? '' : ` (${plural(pending.length, 'store')})`}
        </button>
        <button @click=${() => run(this.save())}>Save as a file</button>
      </div>
      ${
        items.length === 0
          ? html`<p class="quiet">Nothing is stored yet.</p>`
          : html`<table class="list">
              <thead>
                <tr>
                  <th scope="col">store</th>
                  <th scope="col">characters</th>
                  <th scope="col">version</th>
                  <th scope="col">written</th>
                  <th scope="col"><span class="for-readers">what to do with it</span></th>
                </tr>
              </thead>
              <tbody>
                ${items.map((item) => this.item(item))}
              </tbody>
            </table>`
      }
      ${
        problems.length === 0
          ? nothing
          : html`<h2>Problems</h2>
              <ul class="plain">
                ${problems.map(({ code, message }) => html`<li><code class="bad">${code}</code> ${message}</li>`)}
              </ul>`
      }
    `;
  }

  private item({
    store,
    kind,
    size,
    version,
    changes,
    written,
    isPending,
    key,
    newer,
    why,
  }: StoredShown): TemplateResult {
    const isAside = kind === 'set aside';
    return html`<tr class=${isAside ? 'aside' : ''}>
      <th scope="row">
        ${isAside ? html`<span class="quiet">set aside:</span> ${key ?? store}` : store}
        ${isPending ? html`<span class="badge">changes wait</span>` : nothing}
        ${newer === undefined ? nothing : html`<span class="badge bad">a newer format: ${newer}</span>`}
        ${why === undefined ? nothing : html`<div class="bad">${why}</div>`}
      </th>
      <td class="figure">${size.toLocaleString('en')}</td>
      <td class="figure">
        ${version ?? ''}${changes > 0 ? html` <small>+ ${plural(changes, 'change')}</small>` : nothing}
      </td>
      <td>${written === null ? html`<span class="quiet">before</span>` : clock(written)}</td>
      <td>
        ${
          isAside
            ? nothing
            : this.asked === store
              ? html`<button class="on" @click=${() => run(this.forget(store))}>Forget ${store} for good</button>
                  <button @click=${() => (this.asked = undefined)}>Keep</button>`
              : html`<button
                    @click=${() => run(this.act('rehydrate', { store }, `${store} was read from the storage again.`))}
                  >
                    Read again
                  </button>
                  <button @click=${() => (this.asked = store)}>Forget…</button>`
        }
      </td>
    </tr>`;
  }

  private async forget(store: string): Promise<void> {
    this.asked = undefined;
    await this.act(
      'forget',
      { store },
      `What was stored of ${store} is gone; its state stays, and the next change stores it again.`,
    );
  }

  private async act<M extends 'forget' | 'rehydrate' | 'flush'>(
    method: M,
    params: Methods[M]['params'],
    done: string,
  ): Promise<void> {
    const { session } = this;
    const result = await session.try(method, params);
    if (result)
      session.say(
        result.done
          ? { kind: 'done', text: done }
          : { kind: 'problem', text: 'The storage refused it: see the problems below.' },
      );
    await this.load();
  }

  private async save(): Promise<void> {
    const result = await this.session.try('storedTexts', {});
    if (!result) return;
    saveFile('stored.json', result.text, 'application/json');
    this.session.say({ kind: 'done', text: 'The stored texts were saved. floe stored reads them.' });
  }
}

const STATUSES: Readonly<Record<string, string>> = {
  reading: 'being read',
  ready: 'ready',
  closed: 'the runtime is closed',
};

export const defineStored = (): void => define('floe-stored', Stored);
