// Finding steps: by text or value, store, outcome and cause.
import { html, nothing, type TemplateResult } from './libraries.js';
import { asks, type FindQuery, type StepShown } from '../ends/index.js';
import { clock, define, Part, plural, run } from './part.js';

/** So many steps are asked for at once. */
const AT_ONCE = 60;

class Find extends Part {
  static override properties = {
    ...Part.properties,
    found: { state: true },
    next: { state: true },
    looking: { state: true },
  };
  declare found: readonly StepShown[] | undefined;
  declare next: number | null;
  declare looking: boolean;
  private key = '';
  private asked = 0;

  override willUpdate(): void {
    super.willUpdate();
    const { find, status } = this.session;
    const queryKey = JSON.stringify([find, status?.branch]);
    const key = `${queryKey} ${status?.lastSeq} ${status?.problems}`;
    if (key === this.key) return;
    const isOther = !this.key.startsWith(`${queryKey} `);
    this.key = key;
    run(isOther ? this.look() : this.lookAgain());
  }

  /** What came since stands before what was found; what was found further back stays. */
  private async lookAgain(): Promise<void> {
    const asked = ++this.asked;
    const { found = [] } = this;
    const result = await this.session.try('find', { ...this.session.find, count: AT_ONCE });
    if (asked !== this.asked || !result) return;
    this.looking = false;
    const last = result.found.at(-1)?.seq ?? Infinity;
    // Where more came than are asked for at once, the list begins again.
    const older = (found[0]?.seq ?? -1) >= last ? found.filter(({ seq }) => seq < last) : [];
    this.found = [...result.found, ...older];
    if (older.length === 0) this.next = result.next;
  }

  private async look(before?: number): Promise<void> {
    const asked = ++this.asked;
    const { session } = this;
    this.looking = true;
    const result = await session.try('find', {
      ...session.find,
      count: AT_ONCE,
      ...(before !== undefined && { before }),
    });
    if (asked !== this.asked || !result) return;
    this.looking = false;
    this.found = before === undefined ? result.found : [...(this.found ?? []), ...result.found];
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

  private step({ seq, time, label, outcome, reason, stores, excluded, note, hit }: StepShown): TemplateResult {
    const { session } = this;
    const isBad = outcome === 'failed' || outcome === 'refused';
    return html`<li class="${outcome} ${excluded ? 'excluded' : ''}">
      <button
        class="entry"
        aria-current=${session.chosenSeq === seq ? 'step' : nothing}
        @click=${() => run(session.lookAtFound(seq, hit))}
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
