import './gauge.css';
import { createRuntime } from 'floe';
import { sharedTabs, webStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import {
  gauge,
  isUnsent,
  latest,
  level,
  lineCut,
  measure,
  measured,
  office,
  remarked,
  send,
  sent,
  stateText,
  stores,
  unsent,
} from './model';

const runtime = createRuntime({
  stores,
  storage: webStorage('local', { prefix: 'gauge', tabs: sharedTabs() }),
  // Stands in for a server: it cannot be reached while the line is cut, or the browser is offline.
  needs: [
    office.by({
      async send() {
        await new Promise((answer) => setTimeout(answer, 300));
        if (runtime.read(gauge).isCut || !navigator.onLine) throw new Error('There is no line.');
      },
    }),
  ],
  // What comes every second would bury the rest.
  trace: import.meta.env.DEV ? recording({ limit: 5000, ignore: [measured, sent] }) : undefined,
});
const { persistence } = runtime;

const element = <E extends Element>(selector: string): E => document.querySelector<E>(selector)!;
const input = element<HTMLInputElement>('input');
element('.line').addEventListener('click', () => runtime.dispatch(lineCut(!runtime.read(gauge).isCut)));
element('form').addEventListener('submit', (event) => {
  event.preventDefault();
  runtime.dispatch(remarked({ at: Date.now(), text: input.value }));
  input.value = '';
});

// Each runs again when something that it reads changes.
runtime.follow((read) => {
  element('output').textContent = read(level)?.toFixed(2) ?? '–';
});
runtime.follow((read) => {
  const readings = read(latest);
  const points = readings.map(({ level: metres }, i) => `${120 - readings.length + i},${40 - metres * 9}`);
  const first = Math.max(0, readings.length - read(unsent).readings.length - 1);
  element('.here').setAttribute('points', points.slice(0, first + 1).join(' '));
  element('.waits').setAttribute('points', points.slice(first).join(' '));
});
runtime.follow((read) => {
  element('.state').textContent = read(stateText);
});
runtime.follow((read) => {
  const { isCut } = read(gauge);
  element('.line').textContent = isCut ? 'Restore the line' : 'Cut the line';
  document.body.classList.toggle('cut', isCut);
});
runtime.follow((read) => {
  const items = read(gauge).remarks.map(({ at, text }) => {
    const item = document.createElement('li');
    item.textContent = `${new Date(at).toLocaleTimeString('en-GB')}  ${text}`;
    item.classList.toggle('unsent', read(isUnsent(at)));
    return item;
  });
  element('ul').replaceChildren(...items);
});

// One tab measures and sends, for all of them; when it is closed, another one does.
const work: (typeof measure | typeof send)[] = [measure, send];
let isAtWork = false;
const look = (): void => {
  const writes = persistence.tab === 'leading' || persistence.tab === 'alone';
  element('.tab').textContent = writes ? 'This tab measures and sends.' : 'Another tab measures and sends.';
  if (!writes || isAtWork) return;
  isAtWork = true;
  for (const one of work) void runtime.run(one());
};
look();
persistence.watch(look);

if (import.meta.env.DEV)
  void import('floe/inspector').then(({ showInspector }) => showInspector(runtime, { folded: true }));
