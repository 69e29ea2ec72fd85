// A small application beside its inspector: a store with a field, a table, a task that an office decides, and a clock.
import { createRuntime, need, store, task } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { showInspector } from 'floe/inspector';
import { linkInspector } from 'floe/inspector/link';
import { recording } from 'floe/trace';

const office = need<{ assign(): Promise<void> }>('office');
const visit = entity('visit', rowOf<{ id: string; vessel: string; berth: string }>(), { key: 'id' });
const port = tables('port', [visit]);
const berthAssigned = port.action('berthAssigned', (draft, { id, berth }: { id: string; berth: string }) => {
  draft.visit.get(id)!.berth = berth;
});
const log = store('log', { note: '', shifts: 0 }).invariant('short', ({ note }) => note.length < 40);
const noted = log.action('noted', (draft, note: string) => void (draft.note = note));
const failing = log.action('failing', () => {
  throw new Error('the ink is dry');
});
const assign = task(port, 'assign', async ({ optimistic, use }, id: string, berth: string) => {
  const shown = optimistic(berthAssigned({ id, berth }));
  try {
    await use(office).assign();
    shown.confirm();
  } catch (error) {
    shown.revert();
    throw error;
  }
});
const shown = port.all(visit, { sort: 'vessel' });

const decisions: { done(): void; refuse(why: string): void }[] = [];
const scenarios = {
  decisions,
  /** Opens it with its inspector docked, or linked to one elsewhere. */
  open(url?: string): void {
    const given = office.by({
      assign: () => new Promise((done, reject) => decisions.push({ done, refuse: (why) => reject(new Error(why)) })),
    });
    const runtime = createRuntime({
      stores: [port, log],
      needs: [given],
      trace: recording({ application: { name: 'A small port', version: '2.1' } }),
      onProblem: () => undefined,
    });
    runtime.dispatch(
      port.ingest(visit, [
        { id: 'v1', vessel: 'Corran Bell', berth: 'W2' },
        { id: 'v2', vessel: 'Stout Idris', berth: 'N1' },
      ]),
    );
    runtime.watch(shown, () => undefined);
    document.body.innerHTML =
      '<label>Note <input id="note"></label> <button id="assign">Assign</button> <button id="quiet">Quiet</button> <button id="open" aria-haspopup="dialog">Open</button><p></p>';
    const at = (selector: string): HTMLElement => document.querySelector(selector)!;
    at('#note').addEventListener('change', ({ target }) => runtime.dispatch(noted((target as HTMLInputElement).value)));
    at('#assign').addEventListener('click', () => void runtime.run(assign('v2', 'N2')).catch(() => undefined));
    at('#open').addEventListener('click', () => (at('p').textContent = 'opened'));
    if (url !== undefined) Object.assign(globalThis, { link: linkInspector(runtime, { url, name: 'Small port' }) });
    else showInspector(runtime, { name: 'Small port', key: 'F2', folded: false, tests: { model: '../src/model.js' } });
    Object.assign(globalThis, {
      runtime,
      act: {
        note: (text: string) => runtime.dispatch(noted(text)),
        fail: () => {
          try {
            runtime.dispatch(failing());
          } catch {
            // It is recorded.
          }
        },
      },
    });
  },
};
Object.assign(globalThis, { scenarios });
