import './board.css';
import { expected, visitCancelled, visitPlanned, visits } from './model/index.js';
import { runtime } from './runtime.js';

document.getElementById('root')!.innerHTML = `
  <main>
    <h1></h1>
    <form>
      <input required placeholder="Vessel" aria-label="Vessel" />
      <button>Plan a visit</button>
    </form>
    <ul></ul>
  </main>`;
const form = document.querySelector('form')!;
const input = document.querySelector('input')!;

form.addEventListener('submit', (event) => {
  event.preventDefault();
  runtime.dispatch(visitPlanned(input.value));
  form.reset();
});

// Each runs again when something that it reads changes.
runtime.follow((read) => {
  document.querySelector('h1')!.textContent = `Expected today: ${read(expected)}`;
});
runtime.follow((read) => {
  const items = read(visits).list.map((vessel) => {
    const item = document.createElement('li');
    const cancel = document.createElement('button');
    cancel.textContent = 'Cancel';
    cancel.addEventListener('click', () => runtime.dispatch(visitCancelled(vessel)));
    item.append(`${vessel} `, cancel);
    return item;
  });
  document.querySelector('ul')!.replaceChildren(...items);
});
