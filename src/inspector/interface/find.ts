// Finding steps: by text or value, store, outcome and cause.
import { html, nothing, type TemplateResult } from './libraries.js';
import { asks, type FindQuery, type StepShown } from '../ends/index.js';
import { clock, define, Part, plural, run } from './part.js';

class Find extends Part {
  static override properties = {
    ...Part.properties,
    found: { state: true },
    next: { state: true },
    looking: { state: true },
  };
  declare found: readonly StepShown[];
  declare next: number | null;
  declare looking: boolean;
  private key = '';
  private asked = 0;

  override willUpdate(): void {
    super.willUpdate();
    const { find, status } = this.session;
    const key = JSON.stringify([find, status?.lastSeq, status?.branch]);
    if (key === this.key) return;
    const isOther = !this.key.startsWith(JSON.stringify([find]).slice(0, -1));
    this.key = key;
    if (isOther || (this.found?.length ?? 0) < 40) run(this.look());
  }

  private async look(before?: number): Promise<void> {
    const asked = ++this.asked;
    const { session } = this;
    this.looking = true;
    const result = await session.try('find', { ...session.find, count: 60, ...(before !== undefined && { before }) });
    if (asked !== this.asked || !result) return;
    this.looking = false;
    this.found = before === undefined ? result.found : [...this.found, ...result.found];
    this.next = result.next;
  }

  private set(part: FindQuery): void {
    const { session } = this;
    session.find = { ...session.find, ...part };
    session.changed();
    run(session.loadTimeline().then(() => session.changed()));
  }

  override render(): TemplateResult {
    const { session } = this;
    const { find, timeline } = session;
    const stores = [
      ...(timeline?.lanes.filter(({ kind }) => kind !== 'tasks').map(({ name }) => name) ?? []),
      ...(timeline?.moreLanes ?? []),
    ];
    const value = (event: Event): string => (event.target as HTMLInputElement).value;
    return html`
      <form class="panel-bar" role="search" @submit=${(event: Event) => event.preventDefault()}>
        <input
          type="search"
          aria-label="Find a step, a value, a store, a cause"
          placeholder="Find a step, a value, a store, a cause …"
          .value=${find.text ?? ''}
          @input=${(event: Event) => this.set({ text: value(event) })}
        />
        <select
          aria-label="Outcome"
          @change=${(event: Event) => this.set({ outcome: value(event) as FindQuery['outcome'] & string })}
        >
          ${OUTCOMES.map(([outcome, label]) => html`<option value=${outcome} ?selected=${(find.outcome ?? '') === outcome}>${label}</option>`)}
        </select>
        <select aria-label="Store" @change=${(event: Event) => this.set({ store: value(event) })}>
          <option value="">any store</option>
          ${stores.map((name) => html`<option value=${name} ?selected=${find.store === name}>${name}</option>`)}
        </select>
        <select aria-label="Cause" @change=${(event: Event) => this.set({ cause: value(event) })}>
          ${CAUSES.map(([cause, label]) => html`<option value=${cause} ?selected=${(find.cause ?? '') === cause}>${label}</option>`)}
        </select>
      </form>
      <p class="quiet" role="status">
        ${this.looking ? 'looking …' : `${asks(find) ? plural(this.found?.length ?? 0, 'step') + (this.next === null ? ' found' : ' so far') : 'all steps'}, the newest first`}
      </p>
      <ol class="found plain" aria-busy=${this.looking ? 'true' : 'false'}>
        ${this.found?.map((step) => this.step(step))}
      </ol>
      ${this.next === null || this.next === undefined ? nothing : html`<button ?disabled=${this.looking} @click=${() => run(this.look(this.next!))}>Look further back</button>`}
    `;
  }

  private step({ seq, time, label, outcome, reason, stores, excluded, note }: StepShown): TemplateResult {
    const { session } = this;
    const isBad = outcome === 'failed' || outcome === 'refused';
    return html`<li class="${outcome} ${excluded ? 'excluded' : ''}">
      <button
        class="entry"
        aria-current=${session.chosenSeq === seq ? 'step' : nothing}
        @click=${() => run(session.lookAtStep(seq))}
      >
        <span class="seq">${seq}</span><span class="when">${clock(time)}</span>
        <span class="label">${label}</span>
        ${outcome === 'applied' ? nothing : html`<span class=${isBad ? 'bad' : 'quiet'}>${isBad ? '✕ ' : nothing}${outcome}${reason ? `: ${reason}` : ''}</span>`}
        ${note === undefined ? nothing : html`<span class="quiet">“${note}”</span>`}
        <small>${stores.join(', ')}</small>
      </button>
    </li>`;
  }
}

const OUTCOMES = [
  ['', 'any outcome'],
  ['problem', 'problems'],
  ['applied', 'applied'],
  ['unchanged', 'unchanged'],
  ['stopped', 'stopped'],
  ['refused', 'refused'],
  ['failed', 'failed'],
  ['reverted', 'rolled back'],
  ['waiting', 'waiting'],
] as const;

const CAUSES = [
  ['', 'any cause'],
  ['code', "the application's code"],
  ['task', 'tasks'],
  ['address', 'navigation'],
  ['tab', 'other tabs'],
  ['storage', 'storages'],
  ['interceptor', 'interceptors'],
  ['inspector', 'this inspector'],
  ['runtime', 'the runtime'],
] as const;

export const defineFind = (): void => define('floe-find', Find);
