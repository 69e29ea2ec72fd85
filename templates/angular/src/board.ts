import { Component } from '@angular/core';
import { injectAction, injectSelection, injectTask } from 'floe/angular';
import { address, expected, lookedFor, planVisit, refusal, shown, visitCancelled } from './model';

@Component({
  selector: '#root',
  template: `
    <main>
      <h1>Expected today: {{ count() }}</h1>
      <form (submit)="submit($event, vessel)">
        <input #vessel required placeholder="Vessel" aria-label="Vessel" />
        <button>Plan a visit</button>
      </form>
      <p role="alert">{{ refused() }}</p>
      <label>Find <input #find type="search" [value]="lookedFor()" (input)="look(find.value)" /></label>
      <ul>
        @for (one of list(); track one) {
          <li>{{ one }} <button (click)="cancel(one)">Cancel</button></li>
        }
      </ul>
    </main>
  `,
})
export class Board {
  readonly count = injectSelection(expected);
  readonly list = injectSelection(shown);
  readonly lookedFor = injectSelection(lookedFor);
  readonly refused = injectSelection(refusal);
  readonly cancel = injectAction(visitCancelled);
  private readonly lookFor = injectAction(address.queryChanged);
  private readonly plan = injectTask(planVisit);

  look(find: string) {
    this.lookFor({ find: find || undefined }, { replace: true });
  }

  submit(event: Event, vessel: HTMLInputElement) {
    event.preventDefault();
    void this.plan(vessel.value);
    vessel.value = '';
  }
}
