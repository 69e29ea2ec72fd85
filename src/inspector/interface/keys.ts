// The keys of the inspector, as they are listed on the screen.
import { html, LitElement, type TemplateResult } from './libraries.js';
import { define } from './part.js';

const KEYS: readonly (readonly [keys: string, does: string])[] = [
  ['Shift+← and Shift+→', 'the moment before, the moment after'],
  ['← and →, in the line of time', 'the step before, the step after; with Page Up and Page Down a hundred'],
  ['Home and End, in the line of time', 'the first step, and live'],
  ['+, − and 0, in the line of time', 'zoom in, zoom out, the whole time'],
  ['1 to 9', 'open or close a part: State is 1'],
  ['↑ and ↓, beside the parts', 'the part above, the part below'],
  ['arrows, in a tree', 'move; → opens a value, ← closes it; Tab reaches what can be done with it'],
  ['/', 'find'],
  ['?', 'this list'],
  ['Escape', 'close what is open: a message, a form, a part'],
];

/** It tells by the event `close-keys` that it is to be closed. */
class Keys extends LitElement {
  static override properties = { own: { attribute: false } };
  /** The key that opens and folds the inspector, where the application gives one. */
  declare own: string | undefined;

  protected override createRenderRoot(): HTMLElement {
    return this;
  }

  override render(): TemplateResult {
    const all = this.own === undefined ? KEYS : [[this.own, 'open and fold the inspector'] as const, ...KEYS];
    return html`<div class="keys popover" role="dialog" aria-label="Keys">
      <h2>
        Keys
        <button aria-label="Close the list of keys" @click=${() => this.dispatchEvent(new CustomEvent('close-keys'))}>
          ✕
        </button>
      </h2>
      <dl>
        ${all.map(
          ([keys, does]) =>
            html`<dt>${keys}</dt>
              <dd>${does}</dd>`,
        )}
      </dl>
    </div>`;
  }
}

export const defineKeys = (): void => define('floe-keys', Keys);
