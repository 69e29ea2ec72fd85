// The history of a value.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { HistoryEntry, Methods } from '../ends/index.js';
import { clock, define, Part, plural, run, valueView } from './part.js';

/** The steps that changed a value, the newest first. */
class ValueHistory extends Part {
  static override properties = { ...Part.properties, result: { state: true }, count: { state: true } };
  declare result: Methods['history']['result'] | undefined;
  declare count: number;

  override willUpdate(): void {
    super.willUpdate();
    const { place, status, chosenSeq } = this.session;
    const seq = chosenSeq ?? status?.lastSeq ?? undefined;
    if (place === undefined || seq === undefined) return;
    this.askWhen(
      `${place} ${seq} ${this.count} ${status?.revision}`,
      () => this.session.ask('history', { pointer: place, seq, count: this.count ?? 20 }),
      (result) => (this.result = result),
    );
  }

  override render(): TemplateResult {
    const { place } = this.session;
    if (place === undefined)
      return html`<p class="quiet">Choose a value in the state, or a changed place, to see who set it.</p>`;
    const { result } = this;
    return html`
      <div class="panel-bar">
        <code>${place}</code>
        <span class="quiet"
          >${result ? (result.more ? `the newest ${result.entries.length} changes` : plural(result.entries.length, 'change')) : 'reading …'}</span
        >
        <button @click=${() => this.session.show('state')}>Back to the state</button>
      </div>
      ${result && result.entries.length === 0 ? html`<p class="quiet">No step that is kept changed it.</p>` : nothing}
      <ol class="history">
        ${result?.entries.map((entry) => this.entry(entry))}
      </ol>
      ${result?.more ? html`<button @click=${() => (this.count = (this.count ?? 20) * 4)}>More</button>` : nothing}
    `;
  }

  private entry({
    seq,
    time,
    before,
    after,
    because,
    label,
    pointer,
    outcome,
    excluded,
  }: HistoryEntry): TemplateResult {
    const { session } = this;
    return html`<li class="${outcome} ${excluded ? 'excluded' : ''}">
      <button
        class="entry"
        aria-current=${session.chosenSeq === seq ? 'step' : nothing}
        @click=${() => run(session.lookAtStep(seq))}
      >
        <span class="values"
          >${valueView(before, 'before')} <span class="arrow">→</span> ${valueView(after, 'after')}</span
        >
        <small>step ${seq} · ${clock(time)}</small>
        <span class="label">${label}</span>
        <span class="because">${because}</span>
        ${pointer === session.place ? nothing : html`<small>there at <code>${pointer}</code></small>`}
      </button>
    </li>`;
  }
}

export const defineHistory = (): void => define('floe-history', ValueHistory);
