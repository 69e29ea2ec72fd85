// Tasks: which have run, what is under way now, who asked for it, and how each run ended.
import { html, nothing, type TemplateResult } from './libraries.js';
import { duration, type Methods, type RunShown } from '../ends/index.js';
import { clock, define, Part, plural, run } from './part.js';

class Tasks extends Part {
  static override properties = {
    ...Part.properties,
    result: { state: true },
    chosen: { state: true },
    count: { state: true },
  };
  declare result: Methods['tasks']['result'] | undefined;
  /** The task whose runs are shown; absent: all. */
  declare chosen: string | undefined;
  declare count: number | undefined;

  override connectedCallback(): void {
    super.connectedCallback();
    this.chosen = this.session.takeNamed();
  }

  override willUpdate(): void {
    super.willUpdate();
    const { session, chosen, count = FIRST_RUNS } = this;
    this.askWhen(
      JSON.stringify([session.status?.revision, chosen, count]),
      () => session.ask('tasks', { count, ...(chosen !== undefined && { task: chosen }) }),
      (result) => (this.result = result),
    );
  }

  override render(): TemplateResult {
    const { result, chosen, session } = this;
    if (!result) return html`<p class="quiet">Reading …</p>`;
    const { tasks, runs, total } = result;
    if (tasks.length === 0) return html`<p class="quiet">No task has run yet.</p>`;
    return html`
      <div class="panel-bar" role="group" aria-label="Tasks">
        <button
          aria-pressed=${chosen === undefined}
          class=${chosen === undefined ? 'on' : ''}
          @click=${() => (this.chosen = undefined)}
        >
          All
        </button>
        ${tasks.map(
          ({ name, runs: count, underWay, failed }) =>
            html`<button
              aria-pressed=${chosen === name}
              class=${chosen === name ? 'on' : ''}
              @click=${() => (this.chosen = chosen === name ? undefined : name)}
            >
              ${name} <small>${plural(count, 'run')}${underWay > 0 ? `, ${underWay} now` : ''}</small>
              ${failed > 0 ? html`<small class="bad">✕ ${failed}</small>` : nothing}
            </button>`,
        )}
      </div>
      <ol class="runs plain">
        ${runs.map((one) => this.run(one))}
      </ol>
      ${
        total > runs.length
          ? html`<button @click=${() => (this.count = (this.count ?? FIRST_RUNS) * 4)}>
              ${plural(total - runs.length, 'older run')}
            </button>`
          : nothing
      }
      ${session.can('run') ? nothing : html`<p class="quiet">${session.missing('run')}</p>`}
    `;
  }

  private run(one: RunShown): TemplateResult {
    const { session } = this;
    const { id, label, task, arguments: args, seq, time, took, tries, phase, reason, because, waitsFor } = one;
    const isUnderWay = phase === 'running';
    const isChosen = session.moment?.causes.some((cause) => cause.kind === 'run' && cause.seq === seq) ?? false;
    return html`<li class="task-run ${phase} ${isChosen ? 'chosen' : ''}">
      <button class="entry" aria-current=${isChosen ? 'true' : nothing} @click=${() => run(session.lookAtStep(seq))}>
        <span class="mark" aria-hidden="true">${SHAPES[phase]}</span>
        <span class="label">${label}</span>${label === task ? nothing : html` <small>${task}</small>`}
        <small>run ${id}</small>
        ${args === '' ? nothing : html`<span class="args">${args}</span>`}
        <span class="costs"
          >${isUnderWay ? html`<b>under way</b>${waitsFor.length > 0 ? `, waits for ${waitsFor.map(waitText).join(' or ')}` : ''}` : html`${WORDS[phase]}${took === null ? '' : ` after ${duration(took)}`}`}${tries > 1 ? ` · tried ${tries} times` : ''}
          · ${clock(time)}</span
        >
        ${reason === undefined ? nothing : html`<span class=${phase === 'failed' ? 'bad' : 'quiet'}>${reason}</span>`}
        <span class="because">${because}</span>
      </button>
      ${
        session.can('run')
          ? isUnderWay
            ? html`<button @click=${() => run(session.try('cancel', { run: id }))}>Cancel</button>`
            : html`<button @click=${() => run(session.runAgain(seq, label))}>Run again</button>`
          : nothing
      }
    </li>`;
  }
}

const FIRST_RUNS = 30;

/** A time as times are told; anything else as it is. */
const waitText = (what: string): string => (/^\d+ ms$/.test(what) ? duration(parseInt(what, 10)) : what);

const SHAPES: Readonly<Record<RunShown['phase'], string>> = {
  running: '◧',
  done: '■',
  failed: '✕',
  cancelled: '–',
  skipped: '○',
  left: '–',
};
const WORDS: Readonly<Record<RunShown['phase'], string>> = {
  running: 'under way',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
  skipped: 'not needed',
  left: 'has no end in this branch',
};

export const defineTasks = (): void => define('floe-tasks', Tasks);
