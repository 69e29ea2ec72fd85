// What the user does in a page, noted for the trace: clicks, keys with a function, inputs and submits, with the accessible
// name of the control. Never what a field contains, nor a character that was typed.
import type { Interaction, Trace } from '../../trace/index.js';

type Noted = Pick<Interaction, 'kind' | 'name' | 'role' | 'key'>;

/**
 * Notes what the user does in a page, so that the steps dispatched meanwhile belong to it.
 * @param ignored an element whose events are not the application's: the inspector
 * @returns a function that stops it
 */
export function noteInteractions(
  trace: Pick<Trace, 'noteInteraction'>,
  page: Window,
  ignored: () => Element | undefined,
): () => void {
  let end: (() => void) | undefined;
  const channel = new MessageChannel();
  // Handlers, and promises that they continue, run before the next task of the page.
  channel.port1.onmessage = () => {
    end?.();
    end = undefined;
  };
  const note = (event: Event): void => {
    // One that follows another in the same task belongs to it: the click of a label, the submit of a button.
    if (!event.isTrusted || end) return;
    const [target] = event.composedPath();
    const own = ignored();
    if (!(target instanceof Element) || (own && event.composedPath().includes(own))) return;
    const what = whatOf(event, target);
    if (!what) return;
    end = trace.noteInteraction(what);
    channel.port2.postMessage(null);
  };
  const kinds = ['click', 'keydown', 'input', 'change', 'submit'] as const;
  for (const kind of kinds) page.addEventListener(kind, note, { capture: true });
  return () => {
    for (const kind of kinds) page.removeEventListener(kind, note, { capture: true });
    end?.();
    end = undefined;
    channel.port1.close();
  };
}

const CONTROLS =
  'button, a[href], input, select, textarea, summary, option, label, [role=button], [role=link], [role=tab], [role=option], [role=menuitem], [role=menuitemcheckbox], [role=menuitemradio], [role=checkbox], [role=radio], [role=switch], [role=treeitem], [role=row], [role=gridcell], [role=slider], tr, li, [onclick], [contenteditable=true]';
const ROWS = 'tr, li, [role=row]';
const FIELDS = 'input, textarea, select, [contenteditable=true]';

function whatOf(event: Event, target: Element): Noted | undefined {
  const control = target.closest(CONTROLS);
  switch (event.type) {
    case 'click':
      return control ? named('click', control) : undefined;
    case 'submit':
      return named('submit', (event as SubmitEvent).submitter ?? target);
    case 'input':
    case 'change':
      return named('input', control ?? target);
    default: {
      const { key } = event as KeyboardEvent;
      // A single character is something typed: its input event tells of it, and a shortcut of a page that has no field.
      if (key.length === 1 && key !== ' ') return target.closest(FIELDS) ? undefined : named('key', control ?? target);
      if (QUIET_KEYS.has(key)) return undefined;
      return { ...named('key', control ?? target), key: key === ' ' ? 'Space' : key };
    }
  }
}

/** Keys that only prepare something, or move the focus. */
const QUIET_KEYS = new Set([
  'Shift',
  'Control',
  'Alt',
  'AltGraph',
  'Meta',
  'CapsLock',
  'Tab',
  'Dead',
  'Process',
  'Unidentified',
]);

function named(kind: Noted['kind'], control: Element): Noted {
  const role = roleOf(control);
  return { kind, name: nameOf(control), ...(role !== undefined && { role }) };
}

const ROLES: Readonly<Record<string, string>> = {
  A: 'link',
  BUTTON: 'button',
  SUMMARY: 'button',
  SELECT: 'list',
  TEXTAREA: 'field',
  TR: 'row',
  LI: 'item',
  FORM: 'form',
  LABEL: 'label',
};

function roleOf(control: Element): string | undefined {
  const given = control.getAttribute('role');
  if (given !== null) return given;
  if (control instanceof HTMLInputElement)
    return ['checkbox', 'radio', 'button', 'submit', 'range'].includes(control.type) ? control.type : 'field';
  return ROLES[control.tagName];
}

/** A name that would be longer is cut. */
const MOST_NAME = 60;

/**
 * The accessible name of a control, in the order of the ARIA rules, but without what fields contain: those rules take the
 * value of a field inside of a label into the name.
 */
export function nameOf(control: Element): string {
  const labelled = (control.getAttribute('aria-labelledby') ?? '')
    .split(/\s+/)
    .filter(Boolean)
    .map((id) => control.ownerDocument.getElementById(id))
    .map((element) => (element ? textOf(element) : ''))
    .join(' ');
  // A row is called by its head, or by the first control in it: its text as a whole is a list of values.
  const head = control.matches(ROWS) ? control.querySelector('th, [role=rowheader], a[href], button') : null;
  const isField = control.matches(FIELDS);
  const labels = isField && 'labels' in control ? ((control as HTMLInputElement).labels ?? []) : [];
  const found = [
    labelled,
    control.getAttribute('aria-label') ?? '',
    ...Array.from(labels, textOf),
    control.getAttribute('alt') ?? '',
    control instanceof HTMLInputElement && ['submit', 'button', 'reset'].includes(control.type) ? control.value : '',
    head ? textOf(head) : '',
    isField ? '' : textOf(control),
    control.getAttribute('title') ?? '',
    control.getAttribute('placeholder') ?? '',
    control.getAttribute('name') ?? '',
  ].map((text) => text.replace(/\s+/g, ' ').trim());
  const name = found.find((text) => text !== '') ?? '';
  return name.length > MOST_NAME ? `${name.slice(0, MOST_NAME - 1)}…` : name;
}

/** The text of an element as it is read out, without that of fields in it. */
function textOf(element: Element): string {
  const parts: string[] = [];
  let length = 0;
  const walk = (node: Node): void => {
    if (length > MOST_NAME * 2) return;
    if (node instanceof Text) {
      const text = node.data.trim();
      if (text !== '') parts.push(text);
      length += text.length;
      return;
    }
    if (!(node instanceof Element) || node.matches(`${FIELDS}, script, style, [aria-hidden=true], [hidden]`)) return;
    const label = node === element ? null : (node.getAttribute('aria-label') ?? node.getAttribute('alt'));
    if (label !== null) {
      parts.push(label);
      length += label.length;
    } else for (const child of node.childNodes) walk(child);
  };
  walk(element);
  return parts.join(' ');
}
