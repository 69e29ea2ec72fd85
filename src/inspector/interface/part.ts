// What all parts of the interface have in common: they draw one session, inside of the shadow root of the inspector.
import { html, LitElement, nothing, type TemplateResult } from './libraries.js';
import type { ValueShown } from '../ends/index.js';
import type { Session } from './session.js';

/** A part that draws a session, and draws again when something of it changed. */
export class Part extends LitElement {
  static override properties: Record<string, object> = { session: { attribute: false } };
  declare session: Session;
  private watched: Session | undefined;
  private readonly redraw = (): void => this.requestUpdate();
  /** The events of the session after which it is drawn again. */
  protected readonly listensTo: readonly string[] = ['change'];
  private listen(session: Session | undefined, on: boolean): void {
    for (const name of this.listensTo)
      if (on) session?.addEventListener(name, this.redraw);
      else session?.removeEventListener(name, this.redraw);
  }

  /** The style sheet of the inspector's shadow root counts for all parts. */
  protected override createRenderRoot(): HTMLElement {
    return this;
  }

  protected override willUpdate(): void {
    if (this.watched === this.session) return;
    this.listen(this.watched, false);
    this.watched = this.session;
    this.listen(this.session, true);
  }

  private askedFor = '';
  /** Asks the other end when `key` is another one than before. A response that comes after a newer question is ignored. */
  protected askWhen<T>(key: string, ask: () => Promise<T>, take: (result: T) => void): void {
    if (key === this.askedFor) return;
    this.askedFor = key;
    run(
      ask().then(
        (result) => {
          if (key === this.askedFor) take(result);
        },
        (error: unknown) => this.session.fail(error),
      ),
    );
  }

  override connectedCallback(): void {
    super.connectedCallback();
    this.listen(this.watched, true);
  }

  override disconnectedCallback(): void {
    super.disconnectedCallback();
    this.listen(this.watched, false);
  }
}

/** Defines an element; a second copy of Floe on the page finds it defined. */
export function define(name: string, element: CustomElementConstructor): void {
  if (!customElements.get(name)) customElements.define(name, element);
}

const two = (value: number): string => String(value).padStart(2, '0');

/** `10:41:07.312`, in the time zone of the browser. */
export function clock(ms: number): string {
  const date = new Date(ms);
  const whole = `${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
  return `${whole}.${String(date.getMilliseconds()).padStart(3, '0')}`;
}

export const plural = (count: number, one: string, many = `${one}s`): string =>
  `${count.toLocaleString('en')} ${count === 1 ? one : many}`;

/** A value in a few words; its kind says how it is drawn. */
export function valueView(
  value: ValueShown | null,
  role: 'before' | 'after' | '' = '',
): TemplateResult | typeof nothing {
  if (value === null) return html`<span class="value none ${role}">none</span>`;
  const { kind, text } = value;
  if (kind === 'redacted') return html`<span class="value redacted ${role}" title="redacted">••• redacted</span>`;
  const shown = kind === 'text' && text === '' ? '(empty text)' : text;
  if (isTime(value))
    return html`<span class="value number ${role}" title=${new Date(Number(text)).toISOString()}
      >${clock(Number(text))} <small>${text}</small></span
    >`;
  return html`<span class="value ${kind} ${role}" title=${text.length > 40 ? text : nothing}>${shown}</span>`;
}

/** Whole milliseconds of the years 2001 to 2100 are times, in what applications hold. */
const isTime = ({ kind, text }: ValueShown): boolean =>
  kind === 'number' && /^\d{13}$/.test(text) && Number(text) < 4_102_444_800_000;

/** An application as it is named: `Skerrow Harbour 2.4`. */
export const applicationText = (one: { readonly name: string; readonly version?: string } | null): string =>
  one === null ? '' : one.version === undefined ? one.name : `${one.name} ${one.version}`;

/** What follows a click that may fail: said to the user by the session. */
export const run = (work: Promise<unknown>): void => void work.catch(() => undefined);

/** Copies a text; where the clipboard is closed, shows it instead. */
export async function copy(text: string, session: Session, what: string): Promise<void> {
  try {
    // The clipboard is that of the window that has the focus.
    await (session.view ?? window).navigator.clipboard.writeText(text);
    session.say({ kind: 'done', text: `${what} copied.` });
  } catch {
    session.say({ kind: 'done', text });
  }
}

/** Offers a text as a file. */
export function saveFile(name: string, text: string, type = 'text/plain'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
