// Sessions as files: save, open beside the running application, take in its place; and the branches of a session.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { Methods } from '../ends/index.js';
import { applicationText, define, Part, plural, run, saveFile, valueView } from './part.js';
import { summaryOf } from './time-line.js';

class SessionFiles extends Part {
  static override properties = {
    ...Part.properties,
    saving: { state: true },
    chosen: { state: true },
    fits: { state: true },
    leaveOut: { state: true },
  };
  declare fits: Methods['fits']['result'] | undefined;
  /** Stores of the chosen file that are to be left out. */
  declare leaveOut: readonly string[] | undefined;
  declare saving: number | undefined;
  declare chosen: File | undefined;

  override render(): TemplateResult {
    const { session } = this;
    const { status, hello } = session;
    if (!status || !hello) return html`<p class="quiet">Waiting for the other end …</p>`;
    return html`
      <p>
        <b>${session.title}</b>${status.application ? html`, ${applicationText(status.application)}` : nothing} ·
        ${summaryOf(status.steps, status.from, status.to, status.problems)}${status.interactions > 0 ? ` · ${plural(status.interactions, 'interaction')} of the user` : ''}
      </p>
      ${status.folded === null ? nothing : html`<p class="quiet">The steps up to ${status.folded} are folded: their states stay, they can no longer be looked at. <code>recording({ limit })</code> keeps more.</p>`}
      ${status.isPaused ? html`<p class="quiet">The trace is paused: actions are counted, not listed.</p>` : nothing}
      ${hello.redacted.length > 0 ? html`<p class="quiet">Redacted: ${hello.redacted.map((place) => html`<code>${place}</code> `)}</p>` : nothing}
      <div class="panel-bar">
        <button
          class="on"
          ?disabled=${this.saving !== undefined || status.steps === 0}
          @click=${() => run(this.save())}
        >
          ${this.saving === undefined ? 'Save session' : `Saving, ${Math.round(this.saving / 1000).toLocaleString('en')} kB …`}
        </button>
        <label class="file button"
          >Open a session…<input
            type="file"
            accept=".jsonl,.json,.txt"
            @change=${(event: Event) => run(this.choose((event.target as HTMLInputElement).files?.[0]))}
        /></label>
        <span class="quiet">or drop a file here</span>
      </div>
      ${
        this.chosen
          ? html`<div class="what-if" role="group" aria-label="Open ${this.chosen.name}">
              <b>${this.chosen.name}</b>
              <button class="on" @click=${() => this.open()}>Open beside</button>
              ${session.can('replace') && hello.kind === 'live' ? this.replacing() : nothing}
            </div>`
          : nothing
      }
      <h2>Branches</h2>
      <floe-branches .session=${session}></floe-branches>
    `;
  }

  /** What does not fit the application has to be left out first. */
  private replacing(): TemplateResult {
    const { fits, leaveOut = [], session } = this;
    const misfits = fits?.misfits ?? [];
    const isFine = fits !== undefined && misfits.every(({ store }) => leaveOut.includes(store));
    const own = session.status?.application?.name;
    const theirs = fits?.application?.name;
    return html`<button ?disabled=${!isFine} @click=${() => run(this.replace())}>
        Take in place of the running history
      </button>
      <span class="quiet">The page then shows the newest state of the file; what it holds now is lost.</span>
      ${theirs !== undefined && own !== undefined && theirs !== own ? html`<p class="bad">It is a session of ${applicationText(fits!.application)}, not of ${own}.</p>` : nothing}
      ${
        misfits.length === 0
          ? nothing
          : html`<ul class="plain misfits" aria-label="Stores that do not fit">
              ${misfits.map(
                ({ store, why }) =>
                  html`<li>
                    <label
                      ><input
                        type="checkbox"
                        .checked=${leaveOut.includes(store)}
                        @change=${(event: Event) => this.leave(store, (event.target as HTMLInputElement).checked)}
                      />Leave out <b>${store}</b>: ${why}</label
                    >
                  </li>`,
              )}
            </ul>`
      }`;
  }

  private leave(store: string, on: boolean): void {
    const others = (this.leaveOut ?? []).filter((one) => one !== store);
    this.leaveOut = on ? [...others, store] : others;
  }

  private async choose(file: File | undefined): Promise<void> {
    this.chosen = file;
    this.fits = undefined;
    this.leaveOut = [];
    if (!file || !this.session.can('replace') || this.session.hello?.kind !== 'live') return;
    const fits = await this.session.try('fits', { text: await file.text() });
    if (file !== this.chosen) return;
    this.fits = fits;
    // What cannot be read can neither be opened.
    if (!fits) this.chosen = undefined;
  }

  private open(): void {
    const file = this.chosen;
    this.chosen = undefined;
    if (file) this.dispatchEvent(new CustomEvent('open-file', { detail: file, bubbles: true, composed: true }));
  }

  private async replace(): Promise<void> {
    const file = this.chosen!;
    const result = await this.session.try('replace', { text: await file.text(), leaveOut: this.leaveOut ?? [] });
    if (!result) return;
    this.chosen = undefined;
    this.session.say({
      kind: 'done',
      text: `${plural(result.steps, 'step')} of ${file.name} took the place of the history.`,
    });
  }

  private async save(): Promise<void> {
    this.saving = 0;
    try {
      const text = await this.session.exported((length) => (this.saving = length));
      const name = this.session.title
        .toLowerCase()
        .replace(/\.jsonl$/, '')
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '');
      saveFile(`${name || 'session'}.jsonl`, text, 'application/jsonl');
      this.session.say({
        kind: 'done',
        text: 'The session was saved. floe inspect opens it, and so does Open a session here.',
      });
    } catch (error) {
      this.session.fail(error);
    } finally {
      this.saving = undefined;
    }
  }
}

/** The branches: which there are, and where two of them part. */
class BranchesPanel extends Part {
  static override properties = { ...Part.properties, compared: { state: true } };
  declare compared: ({ readonly id: number } & Methods['compareBranches']['result']) | undefined;

  override render(): TemplateResult {
    const { session } = this;
    const { status } = session;
    if (!status || status.branches.length < 2)
      return html`<p class="quiet">
        There is one branch. Acting in the page while it shows an earlier step begins another.
      </p>`;
    return html`<ul class="plain branches">
      ${status.branches.map(({ id, name, from }) => {
        const isPresent = id === status.branch;
        return html`<li>
          <b>${name}</b>
          <span class="quiet"
            >${from === null ? 'from the beginning' : `from step ${from}`}${isPresent ? ', shown now' : ''}</span
          >
          ${session.can('branches') && !isPresent ? html`<button @click=${() => run(session.try('switchTo', { branch: id }))}>Switch to it</button>` : nothing}
          ${isPresent ? nothing : html`<button aria-expanded=${this.compared?.id === id} @click=${() => run(this.compare(id))}>Compare</button>`}
          ${session.can('branches') ? html`<input aria-label="Name of the branch ${name}" .value=${name} @change=${(event: Event) => run(session.try('nameBranch', { branch: id, name: (event.target as HTMLInputElement).value }))} />` : nothing}
          ${this.compared?.id === id ? this.comparison() : nothing}
        </li>`;
      })}
    </ul>`;
  }

  private async compare(id: number): Promise<void> {
    if (this.compared?.id === id) {
      this.compared = undefined;
      return;
    }
    const { status } = this.session;
    const result = await this.session.try('compareBranches', { a: status!.branch, b: id });
    if (result) this.compared = { id, ...result };
  }

  private comparison(): TemplateResult {
    const { changes, changeCount, unlisted } = this.compared!;
    const others =
      unlisted === 0
        ? nothing
        : html`<p class="quiet">${plural(unlisted, 'place')} that only actions changed which are not listed</p>`;
    if (changeCount === 0)
      return html`<p class="quiet">Both end in the same state.</p>
        ${others}`;
    return html`<table class="changes">
        <thead>
          <tr>
            <th scope="col">place</th>
            <th scope="col">here</th>
            <td></td>
            <th scope="col">there</th>
          </tr>
        </thead>
        <tbody>
          ${changes.slice(0, 30).map(
            ({ label, before, after }) =>
              html`<tr>
                <th scope="row">${label}</th>
                <td>${valueView(before, 'before')}</td>
                <td class="arrow">/</td>
                <td>${valueView(after, 'after')}</td>
              </tr>`,
          )}
        </tbody>
      </table>
      ${changeCount > 30 ? html`<p class="quiet">and ${changeCount - 30} more places</p>` : nothing}${others}`;
  }
}

export function defineFiles(): void {
  define('floe-files', SessionFiles);
  define('floe-branches', BranchesPanel);
}
