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
    run(this.updateComplete.then(() => this.firstField.value?.focus()));
  }

  override render(): TemplateResult {
    return this.form === 'send' ? this.sendForm() : this.form === 'test' ? this.testForm() : this.noteForm();
  }

  private closeForm(): void {
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
    const { moment, status } = session;
    const last = session.momentSeq ?? status?.lastSeq ?? 0;
    const submit = async (event: Event): Promise<void> => {
      event.preventDefault();
      const data = new FormData(event.target as HTMLFormElement);
      const result = await session.try('writeTest', {
        from: Number(data.get('from')),
        to: Number(data.get('to')),
        model: data.get('model') as string,
      });
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
        <label
          >From step
          <input
            name="from"
            type="number"
            min=${status?.firstSeq ?? 0}
            max=${status?.lastSeq ?? 0}
            ${ref(this.firstField)}
            .value=${String(moment?.first ?? Math.max(0, last - 4))}
        /></label>
        <label
          >to step
          <input
            name="to"
            type="number"
            min=${status?.firstSeq ?? 0}
            max=${status?.lastSeq ?? 0}
            .value=${String(moment?.last ?? last)}
        /></label>
        <label>It imports <code>stores</code> from <input name="model" .value=${'./model/index.js'} /></label>
      `,
      'Write',
    );
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
