import { Component } from '@angular/core';
import { injectAction, injectSelection, injectTask } from 'floe/angular';
import {
  crew,
  faults,
  fieldLeft,
  form,
  formCleared,
  isSending,
  noticeDismissed,
  ROLES,
  shownFault,
  signOn,
  typed,
  type Field,
} from './model';

@Component({
  selector: '#root',
  template: `
    <main>
      <h1>Sign on crew</h1>
      <form novalidate (submit)="send($event)">
        @for (one of fields; track one.field) {
          <p class="field">
            <label [for]="one.field">{{ one.label }}</label>
            @if (one.field === 'role') {
              <select
                id="role"
                [value]="values().role"
                [attr.aria-invalid]="said().role ? true : null"
                [attr.aria-describedby]="said().role ? 'role-fault' : null"
                (change)="type('role', $event)"
                (blur)="leave('role')"
              >
                <option value="">Choose …</option>
                @for (role of roles; track role) {
                  <option [value]="role" [selected]="role === values().role">{{ role }}</option>
                }
              </select>
            } @else {
              <input
                [id]="one.field"
                [value]="values()[one.field]"
                [attr.autocomplete]="'off'"
                [attr.aria-invalid]="said()[one.field] ? true : null"
                [attr.aria-describedby]="said()[one.field] ? one.field + '-fault' : null"
                (input)="type(one.field, $event)"
                (blur)="leave(one.field)"
              />
            }
            <span class="fault" [id]="one.field + '-fault'">{{ said()[one.field] }}</span>
          </p>
        }
        @if (notice()) {
          <div class="notice" role="alert">
            {{ notice() }}
            <button type="button" (click)="dismiss()">Dismiss</button>
          </div>
        }
        <p class="send">
          <button class="first" [attr.aria-busy]="sending()">{{ sending() ? 'Signing on …' : 'Sign on' }}</button>
          <button type="button" (click)="clear()">Clear</button>
          <span>What you type is kept until it is sent.</span>
        </p>
      </form>
      <section aria-live="polite">
        <h2>On shift</h2>
        <ul>
          @for (member of members(); track member.badge) {
            <li>
              <b>{{ member.name }}</b> {{ member.role }} <code>{{ member.badge }}</code>
            </li>
          } @empty {
            <li class="none">No crew yet.</li>
          }
        </ul>
      </section>
    </main>
  `,
})
export class CrewPage {
  readonly roles = ROLES;
  readonly fields: readonly { readonly field: Field; readonly label: string }[] = [
    { field: 'badge', label: 'Badge' },
    { field: 'name', label: 'Name' },
    { field: 'role', label: 'Role' },
    { field: 'telephone', label: 'Telephone, if any' },
  ];
  readonly values = injectSelection((read) => read(form).values);
  readonly said = injectSelection((read) => ({
    badge: read(shownFault('badge')),
    name: read(shownFault('name')),
    role: read(shownFault('role')),
    telephone: read(shownFault('telephone')),
  }));
  readonly members = injectSelection((read) => read(crew).members);
  readonly notice = injectSelection((read) => read(crew).notice);
  readonly sending = injectSelection(isSending);
  readonly leave = injectAction(fieldLeft);
  readonly clear = injectAction(formCleared);
  readonly dismiss = injectAction(noticeDismissed);
  private readonly typed = injectAction(typed);
  private readonly signOn = injectTask(signOn);
  private readonly faults = injectSelection(faults);

  type(field: Field, event: Event) {
    this.typed({ field, value: (event.target as HTMLInputElement | HTMLSelectElement).value });
  }

  send(event: Event) {
    event.preventDefault();
    void this.signOn();
    const [first] = this.faults();
    if (first) document.getElementById(first)?.focus();
  }
}
