import { Component } from '@angular/core';
import { injectAction, injectSelection } from 'floe/angular';
import { expected, visitCancelled, visitPlanned, visits } from './model/index.js';

@Component({
  selector: '#root',
  template: `
    <main>
      <h1>Expected today: {{ count() }}</h1>
      <form (submit)="submit($event, vessel)">
        <input #vessel required placeholder="Vessel" aria-label="Vessel" />
        <button>Plan a visit</button>
      </form>
      <ul>
        @for (one of list(); track one) {
          <li>{{ one }} <button (click)="cancel(one)">Cancel</button></li>
        }
      </ul>
    </main>
  `,
})
export class Board {
  readonly list = injectSelection((read) => read(visits).list);
  readonly count = injectSelection(expected);
  readonly cancel = injectAction(visitCancelled);
  private readonly plan = injectAction(visitPlanned);

  submit(event: Event, vessel: HTMLInputElement) {
    event.preventDefault();
    this.plan(vessel.value);
    vessel.value = '';
  }
}
