// The forms of the commands: sending an action, writing a test, noting something.
import { createRef, html, ref, type Ref, type TemplateResult } from './libraries.js';
import { copy, define, Part, run, saveFile } from './part.js';

export type Form = 'send' | 'test' | 'note';

/** An action as it is edited: the payload is JSON text. */
export interface SentAction {
  readonly type: string;
  readonly payload: string;
}

/** The form that is open. It tells by the event `close-form` when it is done. */
class CommandForm extends Part {
  static override properties = {
    ...Part.properties,
    form: { attribute: false },
    seq: { attribute: false },
    code: { attribute: false },
    writtenTest: { state: true },
  };
  declare form: Form;
  /** The step that it is about. */
  declare seq: number | undefined;
  declare code: SentAction | undefined;
  declare writtenTest: string | undefined;
  private readonly firstField: Ref<HTMLElement> = createRef();
  private shown: Form | undefined;

  override willUpdate(): void {
    super.willUpdate();
    if (this.shown === this.form) return;
    this.shown = this.form;
    this.writtenTest = undefined;
    this.session.range = undefined;
    run(this.updateComplete.then(() => this.firstField.value?.focus()));
  }

  override render(): TemplateResult {
    return this.form === 'send' ? this.sendForm() : this.form === 'test' ? this.testForm() : this.noteForm();
  }

  private closeForm(): void {
    this.session.isChoosingRange = false;
    this.dispatchEvent(new CustomEvent('close-form'));
  }

  private sendForm(): TemplateResult {
    const { code, session } = this;
    const submit = async (event: Event): Promise<void> => {
      event.preventDefault();
      const form = event.target as HTMLFormElement;
      const data = new FormData(form);
      const [type, payload] = [data.get('type') as string, data.get('payload') as string];
      if (await session.send(type, payload.trim() === '' ? undefined : payload)) this.closeForm();
    };
    return this.formView(
      'Send an action',
      submit,
      html`
        <label
          >Type <input name="type" list="floe-action-types" required autocomplete="off" .value=${code?.type ?? ''}
        /></label>
        <datalist id="floe-action-types">
          ${session.hello?.actions.map((type) => html`<option value=${type}></option>`)}
        </datalist>
        <label
          >Payload, as JSON
          <textarea
            name="payload"
            rows="5"
            spellcheck="false"
            ${ref(this.firstField)}
            .value=${code?.payload ?? ''}
          ></textarea>
        </label>
      `,
      'Send',
    );
  }

  private testForm(): TemplateResult {
    const { session } = this;
    const submit = async (event: Event): Promise<void> => {
      event.preventDefault();
      const model = new FormData(event.target as HTMLFormElement).get('model') as string;
      const { from, to } = this.testRange;
      const result = await session.try('writeTest', { from, to, model });
      this.writtenTest = result?.text;
    };
    if (this.writtenTest !== undefined)
      return this.formView(
        'A test',
        (event) => {
          event.preventDefault();
          run(copy(this.writtenTest!, session, 'The test was'));
          return Promise.resolve();
        },
        html`<pre class="code" tabindex="0">${this.writtenTest}</pre>
          <button type="button" @click=${() => saveFile('recorded.test.ts', this.writtenTest!)}>
            Save as a file
          </button>`,
        'Copy',
      );
    return this.formView(
      'Write a test',
      submit,
      html`
        ${this.rangeFields()}
        <label>It imports <code>stores</code> from <input name="model" .value=${session.testModel} /></label>
      `,
      'Write',
    );
  }

  /** The steps of the test: chosen in the line of time, or else those of the moment. */
  private get testRange(): { readonly from: number; readonly to: number } {
    const { range, moment, status, momentSeq } = this.session;
    const last = momentSeq ?? status?.lastSeq ?? 0;
    if (range) return { from: range.from, to: range.to ?? range.from };
    return { from: moment?.first ?? Math.max(0, last - 4), to: moment?.last ?? last };
  }

  private rangeFields(): TemplateResult {
    const { session } = this;
    const { from, to } = this.testRange;
    const { isChoosingRange, range } = session;
    return html`
      <label
        >The last interactions of the user
        <input
          type="number"
          min="1"
          max="100"
          placeholder="how many"
          ${ref(this.firstField)}
          @input=${(event: Event) => run(this.takeLast(Number((event.target as HTMLInputElement).value)))}
      /></label>
      <button
        type="button"
        aria-pressed=${isChoosingRange}
        @click=${() => {
          session.isChoosingRange = !isChoosingRange;
          session.range = undefined;
          session.changed();
        }}
      >
        ${!isChoosingRange ? 'or choose the steps in the line of time' : range === undefined ? 'Click where the test begins …' : 'Click where it ends …'}
      </button>
      <p class="quiet" role="status">Of step ${from} to step ${to}.</p>
    `;
  }

  private async takeLast(count: number): Promise<void> {
    if (!(count >= 1)) return;
    const { session } = this;
    const found = await session.try('lastInteractions', { count });
    if (!found) return;
    session.range = found;
    session.changed();
  }

  private noteForm(): TemplateResult {
    const { session, seq } = this;
    const target = seq ?? session.momentSeq ?? session.seq ?? 0;
    const submit = async (event: Event): Promise<void> => {
      event.preventDefault();
      const text = new FormData(event.target as HTMLFormElement).get('text') as string;
      if (
        await session.try(
          'note',
          { seq: target, text },
          text === '' ? 'The note is gone.' : `Step ${target} has a note; it is saved with the session.`,
        )
      )
        this.closeForm();
    };
    return this.formView(
      `A note at step ${target}`,
      submit,
      html`<label
        >Note <input name="text" ${ref(this.firstField)} .value=${session.opened.get(target)?.note ?? ''}
      /></label>`,
      'Save',
    );
  }

  private formView(
    title: string,
    submit: (event: Event) => Promise<void>,
    content: TemplateResult,
    does: string,
  ): TemplateResult {
    return html`<form
      class="popover form"
      aria-label=${title}
      @submit=${(event: Event) => run(submit(event))}
      @keydown=${(event: KeyboardEvent) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        this.closeForm();
      }}
    >
      <h2>${title}</h2>
      ${content}
      <div class="form-ends">
        <button class="on">${does}</button><button type="button" @click=${() => this.closeForm()}>Close</button>
      </div>
    </form>`;
  }
}

export const defineCommandForms = (): void => define('floe-command-form', CommandForm);
