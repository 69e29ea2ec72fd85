// A selection that throws: the framework is told, and the next value is shown again.
import '@angular/compiler';
import { expect, test } from '@jest/globals';
import { effect, provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { BrowserTestingModule, platformBrowserTesting } from '@angular/platform-browser/testing';
import { createApp, h, nextTick } from 'vue';
import type { Read, Runtime, Source } from 'floe';
import * as angular from 'floe/angular';
import * as vue from 'floe/vue';
import { newRuntime, renamed, visits } from './board.js';

const firstName = visits.selector('firstName', ({ names }) => {
  if (names[0] === '') throw new Error('no name');
  return names[0];
});
type Selection = Source<string> | ((read: Read) => string);

/** What is shown, and what is thrown. */
type Show = (runtime: Runtime, of: Selection, seen: string[]) => () => unknown;

const inVue: Show = (runtime, of, seen) => {
  const app = createApp({
    setup() {
      const name = vue.useSelection(of);
      return () => (seen.push(name.value), h('p', name.value));
    },
  });
  app.config.errorHandler = (error) => void seen.push(String(error));
  vue.provideRuntime(runtime, app);
  app.mount(document.createElement('div'));
  return nextTick;
};

TestBed.initTestEnvironment(BrowserTestingModule, platformBrowserTesting());
const inAngular: Show = (runtime, of, seen) => {
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), angular.provideRuntime(runtime)] });
  TestBed.runInInjectionContext(() => {
    const name = angular.injectSelection(of);
    effect(() => {
      try {
        seen.push(name());
      } catch (error) {
        seen.push(String(error));
      }
    });
  });
  TestBed.tick();
  return () => TestBed.tick();
};

const selections: Record<string, Selection> = {
  'a selector': firstName,
  'a function': (read) => read(firstName),
};
const cases = [inVue, inAngular].flatMap((show) =>
  Object.entries(selections).map(([what, of]) => [show.name, what, show, of] as const),
);
test.each(cases)('%s: %s that throws is told as an error, and its next value is shown', async (_n, _w, show, of) => {
  const runtime = newRuntime();
  const seen: string[] = [];
  const settle = show(runtime, of, seen);
  for (const name of ['Auk', '', 'Tern', '', 'Skua']) {
    runtime.dispatch(renamed({ at: 0, name }));
    await settle();
  }
  expect(seen).toEqual(['Ern', 'Auk', 'Error: no name', 'Tern', 'Error: no name', 'Skua']);
});
