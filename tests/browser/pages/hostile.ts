// A page that does all it can to disturb what stands in it: its styles reach everything, it listens to all keys and swallows
// them, its body is transformed. It has two runtimes, and a dialog that makes the rest of the page inert.
import { createRuntime, store } from 'floe';
import { recording } from 'floe/trace';
import { showInspector } from 'floe/inspector';

const log = store('log', { note: '', count: 0 });
const noted = log.action('noted', (draft, note: string) => {
  draft.note = note;
  draft.count++;
});
const tides = store('tides', { height: 1 });
const raised = tides.action('raised', (draft) => {
  draft.height++;
});

const received: string[] = [];
const scenarios = {
  received,
  open(): void {
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(
      '* { all: unset !important; font-size: 40px !important; transform: none; } iframe { width: 10px !important; } ' +
        'body { transform: translate(40px, 40px) !important; direction: rtl !important; } ' +
        '.top { position: fixed !important; inset: 0 !important; z-index: 2147483647 !important; display: block !important; pointer-events: none !important; }',
    );
    document.adoptedStyleSheets = [sheet];
    document.documentElement.dir = 'rtl';
    document.body.innerHTML =
      '<button id="note">Note</button><button id="tide">Raise</button><div class="top"></div>' +
      '<dialog><p>A dialog</p><button id="close">Close it</button></dialog>';
    for (const kind of ['keydown', 'keyup', 'keypress', 'click', 'pointerdown'])
      for (const target of [window, document])
        target.addEventListener(
          kind,
          (event) => {
            received.push(`${kind} ${(event as KeyboardEvent).key}`);
            if (kind.startsWith('key')) {
              event.preventDefault();
              event.stopImmediatePropagation();
            }
          },
          { capture: true },
        );
    const runtime = createRuntime({ stores: [log], trace: recording() });
    const other = createRuntime({ stores: [tides], trace: recording() });
    document.querySelector('#note')!.addEventListener('click', () => runtime.dispatch(noted('by the user')));
    document.querySelector('#tide')!.addEventListener('click', () => other.dispatch(raised()));
    const dialog = document.querySelector('dialog')!;
    document.querySelector('#close')!.addEventListener('click', () => dialog.close());
    const first = showInspector(runtime, { name: 'The log', folded: false });
    const second = showInspector(other, { name: 'The tides' });
    const again = (): void => void showInspector(runtime, { folded: false });
    Object.assign(globalThis, { first, second, runtime, dialog, again });
  },
};
Object.assign(globalThis, { scenarios });
