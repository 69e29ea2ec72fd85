// What can be done with a row of a tree: buttons at its end. They are in the tab order while their row has the focus.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { PartShown, ValuePlace } from '../ends/index.js';
import { copy, run } from './part.js';
import type { Session } from './session.js';

/** @param isFocused whether the row has the focus */
export function rowTools(
  { link, linkedBy, value, pointer, key }: PartShown,
  { session, of, isFocused }: { readonly session: Session; readonly of: ValuePlace; readonly isFocused: boolean },
): TemplateResult {
  const button = (label: string, act: (from: Element) => void, onHover = true): TemplateResult =>
    html`<button
      class="link ${onHover ? 'on-hover' : ''}"
      tabindex=${isFocused ? 0 : -1}
      @click=${(event: Event) => {
        event.stopPropagation();
        act(event.currentTarget as Element);
      }}
    >
      ${label}
    </button>`;
  const tell = (name: string, detail: string) => (from: Element) =>
    void from.dispatchEvent(new CustomEvent(name, { detail, bubbles: true }));
  const isState = of.in === 'state';
  return html`<span class="row-tools">
    ${link ? button(`${link.type} ${link.key}`, tell('go-to', link.pointer), false) : nothing}
    ${value.kind === 'table' ? button('as a table', tell('go-to', pointer), false) : nothing}
    ${linkedBy ? button(`linked by ${linkedBy}`, tell('show-links', pointer), false) : nothing}
    ${isState && session.can('edit') ? button('set', tell('set-place', pointer)) : nothing}
    ${isState ? button(session.isPinned(pointer) ? 'unpin' : 'pin', () => session.togglePin({ pointer, label: key })) : nothing}
    ${isState ? button('history', () => session.showHistory(pointer)) : nothing}
    ${value.cut ? button('copy', () => run(copyPart(session, { ...of, pointer }))) : nothing}
  </span>`;
}

async function copyPart(session: Session, of: ValuePlace): Promise<void> {
  const result = await session.try('text', { of });
  if (result) await copy(result.text, session, 'The value was');
}
