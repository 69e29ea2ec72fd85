// The keys of the inspector, as they are listed on the screen.
import { html, type TemplateResult } from './libraries.js';

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

/** @param own the key that opens and folds the inspector, where the application gives one */
export function keyList(own: string | undefined, close: () => void): TemplateResult {
  const all = own === undefined ? KEYS : [[own, 'open and fold the inspector'] as const, ...KEYS];
  return html`<div class="keys popover" role="dialog" aria-label="Keys">
    <h2>Keys <button aria-label="Close the list of keys" @click=${close}>✕</button></h2>
    <dl>
      ${all.map(
        ([keys, does]) =>
          html`<dt>${keys}</dt>
            <dd>${does}</dd>`,
      )}
    </dl>
  </div>`;
}

/** Whether what is typed there is text. */
export function isField(event: Event): boolean {
  const [target] = event.composedPath();
  const element = target as Partial<HTMLElement> & { readonly matches?: (selector: string) => boolean };
  return (
    element.isContentEditable === true || element.matches?.('input:not([type=checkbox]), textarea, select') === true
  );
}
