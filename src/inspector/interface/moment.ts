// The moment: what it changed, and the tree of its causes, whose steps open.
import { classMap, html, nothing, type TemplateResult } from './libraries.js';
import { duration, type CauseShown, type ChangeShown, type Observed, type StepDetail } from '../ends/index.js';
import { copy, define, Part, plural, run, valueView } from './part.js';
import { styleOf } from './style-of.js';

/** So many places, and so many derived values below them, are shown at first. */
const MOST_SHOWN = 8;
const MOST_DERIVED_SHOWN = 2;

/** What a moment changed: each place with the value before and after. */
class Changes extends Part {
  static override properties = { ...Part.properties, patch: { state: true }, all: { state: true } };
  declare patch: string | undefined;
  declare all: boolean;
  private ofMoment: number | undefined;

  override render(): TemplateResult | typeof nothing {
    const { moment } = this.session;
    if (!moment) return nothing;
    if (this.ofMoment !== moment.number) {
      this.ofMoment = moment.number;
      this.patch = undefined;
      this.all = false;
    }
    const wasFailing = moment.outcome === 'reverted' || moment.outcome === 'failed';
    const places = moment.changes.filter(({ derived }) => !derived);
    const values = moment.changes.filter(({ derived }) => derived);
    const shown = this.all ? moment.changes : [...places.slice(0, MOST_SHOWN), ...values.slice(0, MOST_DERIVED_SHOWN)];
    const morePlaces = moment.changeCount - values.length - shown.filter(({ derived }) => !derived).length;
    const moreValues = values.length - shown.filter(({ derived }) => derived).length;
    const more = [
      ...(morePlaces > 0 ? [plural(morePlaces, 'more place')] : []),
      ...(moreValues > 0 ? [plural(moreValues, 'more derived value')] : []),
    ].join(', ');
    return html`
      <h2>${wasFailing ? 'What changed in the end' : 'What changed'}</h2>
      ${
        moment.changes.length === 0
          ? html`<p class="quiet">${moment.outcome === 'nothing' ? this.nothingDispatched() : 'No state changed.'}</p>`
          : html`<table class="changes">
              <tbody>
                ${shown.map((change) => this.row(change))}
              </tbody>
            </table>`
      }
      ${
        more === ''
          ? nothing
          : moment.changes.length > shown.length
            ? html`<button class="link" @click=${() => (this.all = true)}>${more}</button>`
            : html`<p class="quiet">and ${more}</p>`
      }
      <p class="quiet">
        ${alsoText(moment.statuses, moment.coalesced, moment.between, moment.observed)}
        ${
          moment.changes.some(({ derived }) => !derived)
            ? html`<button
                class="link"
                aria-expanded=${this.patch !== undefined}
                @click=${() => run(this.togglePatch())}
              >
                JSON Patch
              </button>`
            : nothing
        }
      </p>
      ${
        this.patch === undefined
          ? nothing
          : html`<pre class="code" tabindex="0">${this.patch}</pre>
              <button @click=${() => run(copy(this.patch!, this.session, 'The patch was'))}>Copy the patch</button>`
      }
    `;
  }

  private nothingDispatched(): TemplateResult {
    return html`No action was dispatched, and no task was run, while it was handled.
    ${this.session.moment?.expected ? html`If one should have been: does the handler call <code>dispatch</code>?` : nothing}`;
  }

  private row(change: ChangeShown): TemplateResult {
    const { label, before, pointer, derived, difference } = change;
    const open = (): void => {
      if (derived) this.session.show('derived');
      else this.session.showHistory(pointer);
    };
    return html`<tr>
      <th scope="row">
        <button class="place" title=${derived ? 'Show the derived value' : `History of ${pointer}`} @click=${open}>
          ${derived ? 'derived: ' : nothing}${label}
        </button>
      </th>
      ${
        difference === undefined
          ? html`<td class="old">${valueView(before, 'before')}</td>
              <td class="arrow" aria-label="became">→</td>
              <td class="new">${this.afterView(change)}</td>`
          : html`<td class="difference" colspan="3">${difference}</td>`
      }
    </tr>`;
  }

  private afterView({ through, after, restored }: ChangeShown): TemplateResult {
    return html`${through.map((value) => html`${valueView(value, restored ? 'before' : '')} <span class="arrow">→</span> `)}${valueView(after, restored ? '' : 'after')}
    ${restored ? html`<span class="quiet"> nothing is left of it</span>` : nothing}`;
  }

  private async togglePatch(): Promise<void> {
    if (this.patch !== undefined) {
      this.patch = undefined;
      return;
    }
    const seqs = this.session.moment!.causes.flatMap(({ seq, kind }) => (seq === null || kind !== 'step' ? [] : [seq]));
    const result = await this.session.try('patch', { seqs });
    this.patch = result?.text;
  }
}

/** What else belongs to the moment, in one grey line. */
function alsoText(statuses: number, coalesced: number, between: number, observed: Observed | null): string {
  const also = [
    ...(statuses > 0 ? [plural(statuses, 'task status', 'task statuses')] : []),
    ...(coalesced > 0 ? [plural(coalesced, 'action that is not listed', 'actions that are not listed')] : []),
    ...(between > 0 ? [`${plural(between, 'other update')} in between`] : []),
  ];
  const parts = also.length > 0 ? [`also ${also.join(', ')}`] : [];
  if (observed) parts.push(...observedTexts(observed));
  return parts.join(' · ');
}

function observedTexts({ computedCount, forNothing, notified, stored }: Observed): string[] {
  const texts = [
    `${plural(computedCount, 'computation')} of derived values${forNothing > 0 ? `, ${forNothing} for nothing` : ''}`,
    `${plural(notified, 'watcher')} notified`,
  ];
  if (stored.length > 0) {
    const last = Math.max(...stored.map(({ after }) => after));
    texts.push(`stored after ${duration(last)}`);
  }
  return texts;
}

/** The tree of causes. */
class Causes extends Part {
  override render(): TemplateResult | typeof nothing {
    const { moment } = this.session;
    if (!moment) return nothing;
    const { causes, causeCount } = moment;
    return html`
      <h2>Because of</h2>
      <ol class="causes">
        ${causes.map((cause) => this.line(cause))}
      </ol>
      ${causeCount > causes.length ? html`<p class="quiet">and ${plural(causeCount - causes.length, 'more line')}</p>` : nothing}
    `;
  }

  private line(cause: CauseShown): TemplateResult {
    const { depth, kind, label, detail, outcome, seq, excluded } = cause;
    const { session } = this;
    const detailOf = seq === null ? undefined : session.opened.get(seq);
    const classes = { cause: true, [kind]: true, [outcome]: true, excluded: excluded ?? false };
    const words = html`<span class="label">${label}</span> <small>${detail}${excluded ? ', left out' : ''}</small>`;
    return html`<li class=${classMap(classes)} ${styleOf({ '--depth': String(depth) })}>
      <span class="mark" aria-hidden="true">${shapeOf(cause)}</span>
      ${
        seq === null
          ? html`<span class="words">${words}</span>`
          : html`<button
              class="words"
              aria-expanded=${detailOf !== undefined}
              aria-current=${session.chosenSeq === seq ? 'step' : nothing}
              @click=${() => run(session.open(seq))}
            >
              ${words}
            </button>`
      }
      ${outcome === 'applied' || outcome === 'running' ? nothing : html`<span class="for-readers">(${outcome})</span>`}
      ${detailOf ? html`<div class="detail">${stepDetail(detailOf, this)}</div>` : nothing}
    </li>`;
  }
}

/** A shape tells the outcome, beside the colour. */
function shapeOf({ kind, outcome }: CauseShown): string {
  switch (outcome) {
    case 'failed':
    case 'refused':
      return '✕';
    case 'reverted':
      return '↶';
    case 'stopped':
    case 'cancelled':
      return '–';
    case 'unchanged':
      return '○';
    case 'waiting':
    case 'pending':
    case 'running':
      return kind === 'run' ? '◧' : '◔';
    case 'applied':
      return kind === 'run' ? '■' : '●';
  }
}

/** A step, opened: what it carried, what it changed itself, and what followed. */
function stepDetail(step: StepDetail, part: Part): TemplateResult {
  const { session } = part;
  const {
    seq,
    reason,
    payload,
    arguments: args,
    changes,
    changeCount,
    cause,
    took,
    stack,
    problems,
    observed,
    outcome,
  } = step;
  const openValue = (where: 'payload' | 'arguments'): void => run(openWhole(part, where, seq));
  return html`<dl>
    ${row('because of', html`${cause}`)}
    ${payload ? row('payload', html`${valueView(payload)} ${payload.cut ? html`<button class="link" @click=${() => openValue('payload')}>copy all</button>` : nothing}`) : nothing}
    ${args ? row('arguments', html`${valueView(args)} ${args.cut ? html`<button class="link" @click=${() => openValue('arguments')}>copy all</button>` : nothing}`) : nothing}
    ${row(
      'changed',
      changes.length === 0
        ? html`nothing`
        : html`<ul class="plain">
            ${changes.slice(0, 12).map(
              ({ label, before, after, pointer }) =>
                html`<li>
                  <button class="place" @click=${() => session.showHistory(pointer)}>${label}</button>
                  ${valueView(before, 'before')} <span class="arrow">→</span> ${valueView(after, 'after')}
                </li>`,
            )}
            ${changeCount > 12 ? html`<li class="quiet">and ${plural(changeCount - 12, 'more place')}</li>` : nothing}
          </ul>`,
    )}
    ${outcome === 'applied' ? nothing : row('outcome', html`<b class="outcome ${outcome}">${outcome}</b>`)}
    ${reason === undefined ? nothing : row('reason', html`<span class="bad">${reason}</span>`)}
    ${problems.map((problem) => row('problem', html`<span class="bad">${problem}</span>`))}
    ${
      stack === undefined
        ? nothing
        : row(
            'stack',
            html`<details>
              <summary>${firstLine(stack)}</summary>
              <pre class="code" tabindex="0">${stack}</pre>
            </details>`,
          )
    }
    ${row('followed', followed(observed))} ${row('took', html`${duration(took)}`)}
    ${step.note === undefined ? nothing : row('note', html`“${step.note}”`)}
    ${step.onTrust ? row('redacted', html`A part of its action is redacted, so it cannot be computed again.`) : nothing}
  </dl>`;
}

const row = (name: string, content: TemplateResult): TemplateResult =>
  html`<dt>${name}</dt>
    <dd>${content}</dd>`;
const firstLine = (text: string): string =>
  text
    .split('\n')
    .find((line) => line.trim().startsWith('at '))
    ?.trim() ?? text.split('\n')[0];

function followed(observed: Observed | null): TemplateResult {
  if (!observed) return html`<span class="quiet">not observed: no inspector was attached</span>`;
  const { computed } = observed;
  return html`${observedTexts(observed).join(' · ')}
  ${
    computed.length === 0
      ? nothing
      : html`<ul class="plain">
          ${computed
            .slice(0, 12)
            .map(
              ({ name, outcome, before, after, took, difference }) =>
                html`<li>
                  ${name}:
                  ${
                    outcome === 'same'
                      ? html`<span class="quiet">computed for nothing, ${duration(took)}</span>`
                      : difference !== undefined
                        ? html`${difference === '' ? html`<span class="quiet">an equal one, made again</span>` : difference}
                            <small>${duration(took)}</small>`
                        : html`${outcome === 'first' ? html`<span class="quiet">first value</span>` : valueView(before, 'before')}
                            <span class="arrow">→</span> ${valueView(after, 'after')} <small>${duration(took)}</small>`
                  }
                </li>`,
            )}
          ${computed.length > 12 ? html`<li class="quiet">and ${plural(computed.length - 12, 'more value')}</li>` : nothing}
        </ul>`
  }`;
}

async function openWhole({ session }: Part, where: 'payload' | 'arguments', seq: number): Promise<void> {
  const result = await session.try('text', { of: { in: where, seq, pointer: '' } });
  if (result) await copy(result.text, session, where === 'payload' ? 'The payload was' : 'The arguments were');
}

export function defineMoment(): void {
  define('floe-changes', Changes);
  define('floe-causes', Causes);
}
