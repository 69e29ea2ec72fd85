import './board.css';
import { address, expected, lookedFor, planVisit, refusal, shown, visitCancelled } from './model';
import { runtime } from './runtime';

document.getElementById('root')!.innerHTML = `
  <main>
    <h1></h1>
    <form>
      <input required placeholder="Vessel" aria-label="Vessel" />
      <button>Plan a visit</button>
    </form>
    <p role="alert"></p>
    <label>Find <input type="search" /></label>
    <ul></ul>
  </main>`;
const element = <E extends Element>(selector: string): E => document.querySelector<E>(selector)!;
const form = element<HTMLFormElement>('form');
const vessel = element<HTMLInputElement>('form input');
const find = element<HTMLInputElement>('[type=search]');

form.addEventListener('submit', (event) => {
  event.preventDefault();
  void runtime.run(planVisit(vessel.value));
  form.reset();
});
find.addEventListener('input', () =>
  runtime.dispatch(address.queryChanged({ find: find.value || undefined }, { replace: true })),
);

// Each runs again when something that it reads changes.
runtime.follow((read) => {
  element('h1').textContent = `Expected today: ${read(expected)}`;
});
runtime.follow((read) => {
  element('[role=alert]').textContent = read(refusal) ?? '';
});
runtime.follow((read) => {
  find.value = read(lookedFor);
});
runtime.follow((read) => {
  const items = read(shown).map((one) => {
    const item = document.createElement('li');
    const cancel = document.createElement('button');
    cancel.textContent = 'Cancel';
    cancel.addEventListener('click', () => runtime.dispatch(visitCancelled(one)));
    item.append(`${one} `, cancel);
    return item;
  });
  element('ul').replaceChildren(...items);
});
