// What the user does in a page, noted for the trace: clicks, keys with a function, inputs and submits, with the accessible
// name of the control. Never what a field contains, nor a character that was typed.
import type { InteractionEnd, NotedInteraction, Trace } from '../../trace/index.js';

/**
 * Notes what the user does in a page in some traces, so that the steps dispatched meanwhile belong to it. Of several
 * runtimes, those in which nothing was recorded meanwhile had no part in it.
 */
export class NotedTraces {
  private readonly traces = new Set<Pick<Trace, 'noteInteraction'>>();
  private stop: (() => void) | undefined;

  /** @returns a function that takes the trace out */
  add(trace: Pick<Trace, 'noteInteraction'>): () => void {
    this.traces.add(trace);
    this.stop ??= noteInteractions((what) => this.begin(what), window);
    return () => {
      this.traces.delete(trace);
      if (this.traces.size > 0) return;
      this.stop?.();
      this.stop = undefined;
    };
  }

  private begin(what: NotedInteraction): (how: InteractionEnd) => void {
    const ends: ((how: InteractionEnd) => void)[] = [];
    const noted = this.traces.size > 1 ? { ...what, onlyWithSteps: true } : what;
    for (const trace of this.traces)
      try {
        ends.push(trace.noteInteraction(noted));
      } catch {
        // The runtime was closed: it records nothing any more.
        this.traces.delete(trace);
      }
    return (how) => {
      for (const end of ends) end(how);
    };
  }
}

/**
 * Tells what the user does in a page.
 * @param begin called when something begins; gives what is called when the page has handled it
 * @returns a function that stops it
 */
function noteInteractions(begin: (what: NotedInteraction) => (how: InteractionEnd) => void, page: Window): () => void {
  let open: { readonly event: Event; readonly end: (how: InteractionEnd) => void } | undefined;
  let begun = 0;
  let changedPage = false;
  const changes = new MutationObserver(() => {
    changedPage = true;
    changes.disconnect();
  });
  const end = (): void => {
    changedPage ||= changes.takeRecords().length > 0;
    changes.disconnect();
    open?.end({ changedPage });
    open = undefined;
  };
  const channel = new MessageChannel();
  // Handlers, and promises that they continue, run before the next task of the page.
  channel.port1.onmessage = ({ data }) => {
    if (data === begun) end();
  };
  const note = (event: Event): void => {
    if (!event.isTrusted || (open && follows(event, open.event))) return;
    const [target] = event.composedPath();
    if (!(target instanceof Element)) return;
    const what = whatOf(event, target);
    if (!what) return;
    end();
    const typing = typingOf(event, target);
    open = { event, end: begin({ ...what, ...typing }) };
    changedPage = false;
    // A field that is typed in blames no handler: whether the page changes with each key is of no interest.
    if (typing.typing === undefined)
      changes.observe(page.document, { subtree: true, childList: true, attributes: true, characterData: true });
    channel.port2.postMessage(++begun);
  };
  let typings = 0;
  let typedIn: Element | undefined;
  /** The number of the typing that an input is part of: in one field, until it is left. */
  const typingOf = (event: Event, target: Element): Pick<NotedInteraction, 'typing'> => {
    if (event.type !== 'input' && event.type !== 'change') return {};
    if (usuallyActs(target)) return {};
    if (typedIn !== target) typings++;
    // It says `change` when it is left, or when Enter was pressed in it.
    typedIn = event.type === 'change' ? undefined : target;
    return { typing: typings };
  };
  const kinds = ['click', 'keydown', 'input', 'change', 'submit'] as const;
  for (const kind of kinds) page.addEventListener(kind, note, { capture: true });
  return () => {
    for (const kind of kinds) page.removeEventListener(kind, note, { capture: true });
    end();
    channel.port1.close();
  };
}

/** What one event of the user brings about in the same task. A field's change comes with the click that leaves the field, not before it. */
const BRINGS: Readonly<Record<string, readonly string[]>> = {
  click: ['click', 'input', 'change', 'submit'],
  keydown: ['click', 'input', 'change', 'submit'],
  input: ['change'],
};

/** Whether an event is part of what the user did before: the click that a label gives on, the submit of a button. */
function follows(event: Event, before: Event): boolean {
  if (!BRINGS[before.type]?.includes(event.type)) return false;
  if (event.type !== 'click') return true;
  const label = before.target instanceof Element ? before.target.closest('label') : null;
  // A click by a key has no count; one by a label goes to its field.
  return before.type === 'click'
    ? label?.control != null && label.control === event.target
    : (event as MouseEvent).detail === 0;
}

/** What is there to be used. */
const CONTROLS =
  'button, a[href], input, select, textarea, summary, option, label, [role=button], [role=link], [role=tab], [role=option], [role=menuitem], [role=menuitemcheckbox], [role=menuitemradio], [role=checkbox], [role=radio], [role=switch], [role=slider], [onclick], [contenteditable=true]';
/** What usually acts: nothing dispatched is worth a word. */
const ACTS =
  'button, [type=checkbox], [type=radio], [type=submit], [type=button], [type=image], select, option, [role=button], [role=option], [role=menuitem], [role=menuitemcheckbox], [role=menuitemradio], [role=checkbox], [role=radio], [role=switch], [onclick]';
/** What opens or closes something: the page itself does that. */
const OPENERS = '[aria-haspopup], [aria-expanded], [popovertarget], [commandfor]';
/** What may be used, or only be looked at. */
const PERHAPS = 'tr, li, [role=row], [role=gridcell], [role=treeitem], [tabindex], svg, canvas, img, section, div';
/** Areas that may be clicked, whose text is not their name. */
const AREAS = 'section, div, svg, canvas';
const ROWS = 'tr, li, [role=row]';
const FIELDS = 'input, textarea, select, [contenteditable=true]';

function whatOf(event: Event, target: Element): NotedInteraction | undefined {
  const control = target.closest(CONTROLS);
  const field = target.closest(FIELDS);
  switch (event.type) {
    case 'click': {
      // A field is only entered by a click.
      if (control) return named('click', control, !usuallyActs(control));
      const other = target.closest(PERHAPS);
      return other ? named('click', other, true) : undefined;
    }
    case 'submit':
      return named('submit', (event as SubmitEvent).submitter ?? target);
    case 'input':
      // What is typed counts when the field is left, or when something was dispatched.
      return named('input', field ?? target, !usuallyActs(field ?? target));
    case 'change':
      return named('input', field ?? target);
    default: {
      const { key } = event as KeyboardEvent;
      if (QUIET_KEYS.has(key)) return undefined;
      const isCharacter = key.length === 1 && key !== ' ';
      // What is typed, or chosen with the arrows, is told by its input event.
      if (field && !['Enter', 'Escape'].includes(key)) return undefined;
      const noted = named('key', control ?? target.closest(PERHAPS) ?? target, true);
      return isCharacter ? noted : { ...noted, key: key === ' ' ? 'Space' : key };
    }
  }
}

function usuallyActs(control: Element): boolean {
  const one = control instanceof HTMLLabelElement ? (control.control ?? control) : control;
  return one.matches(ACTS) && !one.matches(OPENERS);
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

function named(kind: NotedInteraction['kind'], control: Element, onlyWithSteps = false): NotedInteraction {
  const role = roleOf(control);
  return { kind, name: nameOf(control), ...(role !== undefined && { role }), ...(onlyWithSteps && { onlyWithSteps }) };
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
function nameOf(control: Element): string {
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
    // A large area has no name of its own.
    isField || control.matches(AREAS) ? '' : textOf(control),
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
