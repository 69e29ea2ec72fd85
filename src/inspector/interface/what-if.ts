// What is different when a step is left out, or taken in again.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { WhatIf } from '../ends/index.js';
import { define, Part, plural, run, valueView } from './part.js';

class WhatIfView extends Part {
  override render(): TemplateResult | typeof nothing {
    const { whatIf } = this.session;
    if (!whatIf) return nothing;
    return html`<section class="what-if" aria-label="What is different" role="status">
      ${this.content(whatIf)}
    </section>`;
  }

  private content({ seq, excluded, others, otherCount, changes, changeCount }: WhatIf): TemplateResult {
    const { session } = this;
    return html`
      <b>${excluded ? `Without step ${seq}` : `With step ${seq} again`}</b>
      ${otherCount === 0 && changeCount === 0 ? html`everything else is as it was.` : nothing}
      ${
        otherCount > 0
          ? html`${plural(otherCount, 'later step')} ${otherCount === 1 ? 'comes' : 'come'} to something else:
              <ul class="plain">
                ${others.slice(0, 6).map(({ seq: other, label, outcome, reason, excluded: out }) => html`<li><button class="link" @click=${() => run(session.lookAtStep(other))}>step ${other}, ${label}</button>: <span class=${outcome === 'failed' || outcome === 'refused' ? 'bad' : ''}>${out ? 'left out too' : outcome}${reason ? `: ${reason}` : ''}</span></li>`)}
              </ul>`
          : nothing
      }
      ${
        changeCount > 0
          ? html`At the end, ${plural(changeCount, 'place')} ${changeCount === 1 ? 'is' : 'are'} different:
              <ul class="plain">
                ${changes.slice(0, 6).map(({ label, before, after }) => html`<li><span class="place">${label}</span> ${valueView(before, 'before')} <span class="arrow">→</span> ${valueView(after, 'after')}</li>`)}
                ${changeCount > 6 ? html`<li class="quiet">and ${changeCount - 6} more</li>` : nothing}
              </ul>`
          : nothing
      }
      <button @click=${() => run(session.exclude(seq, !excluded, true))}>
        ${excluded ? 'Take it in again' : 'Leave it out again'}
      </button>
      <button
        @click=${() => {
          session.whatIf = undefined;
          session.changed();
        }}
      >
        Close
      </button>
    `;
  }
}

export const defineWhatIf = (): void => define('floe-what-if', WhatIfView);
