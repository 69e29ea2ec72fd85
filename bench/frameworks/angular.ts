import '@angular/compiler';
import {
  ChangeDetectionStrategy,
  Component,
  createComponent,
  provideZonelessChangeDetection,
  signal,
  type ApplicationRef,
  type ComponentRef,
  type EnvironmentProviders,
} from '@angular/core';
import { createApplication } from '@angular/platform-browser';
import { injectSelection, provideRuntime } from 'floe/angular';
import type { Rows, Sides } from './page.js';

/** @param valueOf called in the injection context of each row */
async function rows(
  n: number,
  valueOf: (index: number) => () => number,
  change: (value: number) => void,
  providers: EnvironmentProviders[] = [],
): Promise<Rows> {
  let next = 0;
  class Row {
    readonly value = valueOf(next++);
  }
  // Without its compiler at build time, Angular takes what decorators say at run time.
  Component({ selector: 'li[row]', template: '{{ value() }}', changeDetection: ChangeDetectionStrategy.OnPush })(Row);
  class List {
    readonly all = Array.from({ length: n }, (_, index) => index);
  }
  Component({
    selector: 'ul',
    imports: [Row],
    template: '@for (one of all; track one) {<li row></li>}',
    changeDetection: ChangeDetectionStrategy.OnPush,
  })(List);
  const app: ApplicationRef = await createApplication({ providers: [provideZonelessChangeDetection(), ...providers] });
  let list: ComponentRef<List>;
  return {
    mount(hostElement) {
      list = createComponent(List, { environmentInjector: app.injector, hostElement });
      app.attachView(list.hostView);
      app.tick();
    },
    change(value) {
      change(value);
      app.tick();
    },
    unmount() {
      list.destroy();
      app.destroy();
    },
  };
}

export const floe: Sides['floe'] = (n, selectionOf, { runtime, change }) =>
  rows(n, (index) => injectSelection(selectionOf(index)), change, [provideRuntime(runtime)]);

export const own: Sides['own'] = (n, shown) => {
  const value = signal(0);
  return rows(
    n,
    (index) => () => shown(value(), index),
    (to) => value.set(to),
  );
};
