// A live selection in what frameworks take streams with: Angular's pipe and signals, Svelte's stores, RxJS.
import '@angular/compiler';
import { AsyncPipe } from '@angular/common';
import { Component, provideZonelessChangeDetection } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { TestBed } from '@angular/core/testing';
import { BrowserTestingModule, platformBrowserTesting } from '@angular/platform-browser/testing';
import { expect, test } from '@jest/globals';
import { from, map, type ObservableInput } from 'rxjs';
import { get, type Readable } from 'svelte/store';
import { createRuntime, store, type Selection } from 'floe';

const tide = store('tide', { metres: 1.4 });
const { merge } = tide.edits();
const metres = tide.selector('metres', (state) => state.metres);
/** RxJS looks for an observable by its key, which its types do not know of. */
const observable = <T>(selection: Selection<T>) => from(selection as unknown as ObservableInput<T>);

test('Svelte takes a selection as a store, RxJS as an observable', async () => {
  const runtime = createRuntime({ stores: [tide] });
  // Its types know of functions that unsubscribe; it takes RxJS's objects as well.
  expect(get(runtime.select(metres) as unknown as Readable<number>)).toBe(1.4);
  const seen: number[] = [];
  const ended = new Promise<void>((complete) => {
    observable(runtime.select(metres))
      .pipe(map((value) => value * 10))
      .subscribe({ next: (value) => seen.push(value), complete });
  });
  runtime.dispatch(merge({ metres: 1.9 }));
  void runtime.close();
  await ended;
  expect(seen).toEqual([14, 19]);
});

test("Angular's pipe shows a selection, and a signal follows it", async () => {
  const runtime = createRuntime({ stores: [tide] });
  class Level {
    readonly level = runtime.select(metres);
    readonly signal = toSignal(observable(runtime.select(metres)));
  }
  const declared = Component({ imports: [AsyncPipe], template: '{{ level | async }} {{ signal() }}' })(Level);
  TestBed.initTestEnvironment(BrowserTestingModule, platformBrowserTesting());
  TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
  const shown = TestBed.createComponent(declared);
  await shown.whenStable();
  expect((shown.nativeElement as HTMLElement).textContent).toBe('1.4 1.4');
  runtime.dispatch(merge({ metres: 1.9 }));
  await shown.whenStable();
  expect((shown.nativeElement as HTMLElement).textContent).toBe('1.9 1.9');
});
