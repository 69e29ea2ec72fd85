// One way to write a component for all frameworks: what is tested is written once, and mounted in each of them.
import '@angular/compiler';
import {
  ChangeDetectionStrategy,
  Component,
  computed as angularComputed,
  effect as angularEffect,
  provideZonelessChangeDetection,
  signal,
} from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { BrowserTestingModule, platformBrowserTesting } from '@angular/platform-browser/testing';
import { createElement, useEffect, useReducer, useState } from 'react';
import { flushSync } from 'react-dom';
import { createRoot, hydrateRoot } from 'react-dom/client';
import { compile, type CompileOptions } from 'svelte/compiler';
import { computed, createApp, createSSRApp, defineComponent, h, nextTick, reactive, watchEffect, type App } from 'vue';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { deserialize, serialize } from 'node:v8';
import { defaultRuntime, selector } from 'floe';
import type { ActionCreator, DispatchResult, Read, Run, Runtime, Source, Task } from 'floe';
import * as react from 'floe/react';
import * as vue from 'floe/vue';
import * as svelte from 'floe/svelte';
import * as angular from 'floe/angular';

/** What a component has, in the words of its framework. */
export interface Kit {
  select<T>(of: Source<T> | ((read: Read) => T)): () => T;
  action<A extends readonly unknown[]>(creator: ActionCreator<string, A>): (...payload: A) => DispatchResult;
  task<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T>;
  ready(): () => boolean;
  /** State of the component's own: an object to be changed in place. */
  state<T extends object>(value: T): T;
  derived<T>(fn: () => T): () => T;
  effect(fn: () => void): void;
}
/** A component: sets itself up, and returns what shows its text. React sets it up at each rendering. */
export type Setup = (kit: Kit) => () => string;

/** A component on the page. */
export interface Mounted {
  /** What it shows, once it shows everything. */
  text(): Promise<string | null>;
  unmount(): void;
}
export type Mount = (
  runtime: Runtime | undefined,
  setup: Setup,
  element?: HTMLElement,
  hydrates?: boolean,
) => Promise<Mounted>;

const turn = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** An object like `value` whose members call `read` and `changed`. */
function accessors<T extends object>(value: T, read: () => unknown, changed: () => void): T {
  const own = { ...value };
  for (const key of Object.keys(own) as (keyof T)[])
    Object.defineProperty(own, key, {
      get: () => (read(), value[key]),
      set: (next: T[keyof T]) => {
        value[key] = next;
        changed();
      },
    });
  return own;
}

const reactKit: Kit = {
  select: (of) => {
    const value = react.useSelection(of);
    return () => value;
  },
  action: react.useAction,
  task: react.useTask,
  ready: () => {
    const isReady = react.useReady();
    return () => isReady;
  },
  state: (value) => {
    const [, changed] = useReducer((count: number) => count + 1, 0);
    return useState(() =>
      accessors(
        { ...value },
        () => undefined,
        () => flushSync(changed),
      ),
    )[0];
  },
  derived: (fn) => fn,
  effect: (fn) => useEffect(fn),
};
export const reactBoard = (runtime: Runtime | undefined, setup: Setup, toText?: boolean) => {
  const Board = () => {
    const text = setup(reactKit)();
    return createElement('p', { title: text }, text);
  };
  const board = createElement(Board);
  return runtime
    ? createElement(react.RuntimeProvider, { runtime, ...(toText !== undefined && { toText }) }, board)
    : board;
};
const inReact: Mount = async (runtime, setup, element = document.createElement('div'), hydrates) => {
  const board = reactBoard(runtime, setup);
  const root = hydrates ? hydrateRoot(element, board) : createRoot(element);
  if (!hydrates) flushSync(() => root.render(board));
  await turn();
  return {
    // What a component follows from now on, it follows a moment later.
    text: async () => (await turn(), flushSync(() => undefined), element.textContent),
    unmount: () => flushSync(() => root.unmount()),
  };
};

const vueKit: Kit = {
  select: (of) => {
    const value = vue.useSelection(of);
    return () => value.value;
  },
  action: vue.useAction,
  task: vue.useTask,
  ready: () => {
    const isReady = vue.useReady();
    return () => isReady.value;
  },
  state: (value) => reactive(value) as typeof value,
  derived: (fn) => {
    const value = computed(fn);
    return () => value.value;
  },
  effect: (fn) => void watchEffect(fn),
};
export function vueApp(make: typeof createApp, runtime: Runtime | undefined, setup: Setup): App {
  const board = defineComponent({
    setup() {
      const show = setup(vueKit);
      return () => {
        const text = show();
        return h('p', { title: text }, text);
      };
    },
  });
  const app = make(board);
  if (runtime) vue.provideRuntime(runtime, app);
  return app;
}
// Vue asks whoever bundles it.
Object.assign(globalThis, {
  __VUE_OPTIONS_API__: true,
  __VUE_PROD_DEVTOOLS__: false,
  __VUE_PROD_HYDRATION_MISMATCH_DETAILS__: false,
});
const inVue: Mount = (runtime, setup, element = document.createElement('div'), hydrates) => {
  const app = vueApp(hydrates ? createSSRApp : createApp, runtime, setup);
  app.mount(element);
  return Promise.resolve({
    text: async () => (await nextTick(), element.textContent),
    unmount: () => app.unmount(),
  });
};

// Older compilers of Svelte use it, and a simulated DOM has none.
(globalThis as Partial<typeof globalThis>).structuredClone ??= (value) => deserialize(serialize(value)) as typeof value;

const SVELTE = `<script>
  const { svelte, runtime, setup } = $props();
  if (runtime) svelte.provideRuntime(runtime);
  const show = setup({
    select: (of) => {
      const value = svelte.useSelection(of);
      return () => value.current;
    },
    action: svelte.useAction,
    task: svelte.useTask,
    ready: () => {
      const isReady = svelte.useReady();
      return () => isReady.current;
    },
    state: (value) => {
      const own = $state(value);
      return own;
    },
    derived: (fn) => {
      const value = $derived.by(fn);
      return () => value;
    },
    effect: (fn) => {
      $effect(() => fn());
    },
  });
  const text = $derived(show());
</script>
<p title={text}>{text}</p>`;

/** What a server makes of the board with the first state. */
export const SVELTE_TEXT = '<!--[--><p title="3 Ern">3 Ern</p><!--]-->';

const compiled = new Map<string, Promise<never>>();
/** The component in Svelte, compiled for a browser or a server. */
function svelteComponent(generate: NonNullable<CompileOptions['generate']> & string): Promise<never> {
  if (!compiled.has(generate)) compiled.set(generate, compileSvelte(generate));
  return compiled.get(generate)!;
}
async function compileSvelte(generate: NonNullable<CompileOptions['generate']>): Promise<never> {
  // Inside the project, so that it finds the framework.
  const folder = mkdtempSync(join(process.cwd(), 'tests', 'bindings', 'compiled-'));
  try {
    const file = join(folder, 'board.js');
    writeFileSync(file, compile(SVELTE, { generate, filename: 'Board.svelte' }).js.code);
    return ((await import(pathToFileURL(file).href)) as { default: never }).default;
  } finally {
    rmSync(folder, { recursive: true });
  }
}
/** A component on the server in Svelte, and what it is given. */
export const svelteParts = async (runtime: Runtime | undefined, setup: Setup) =>
  [await svelteComponent('server'), { props: { svelte, runtime, setup } as never }] as const;

const inSvelte: Mount = async (runtime, setup, target = document.createElement('div'), hydrates) => {
  const { flushSync, hydrate, mount, unmount } = await import('svelte');
  const board = await svelteComponent('client');
  const component = (hydrates ? hydrate : mount)(board, { target, props: { svelte, runtime, setup } as never });
  return {
    text: () => (flushSync(), Promise.resolve(target.textContent)),
    unmount: () => void unmount(component),
  };
};

const angularKit: Kit = {
  select: (of) => angular.injectSelection(of),
  action: angular.injectAction,
  task: angular.injectTask,
  ready: angular.injectReady,
  state: (value) => {
    const version = signal(0);
    return accessors(value, version, () => version.update((count) => count + 1));
  },
  derived: (fn) => angularComputed(fn),
  effect: (fn) => void angularEffect(fn),
};
let isPrepared = false;
const inAngular: Mount = async (runtime, setup, element = document.createElement('div')) => {
  if (!isPrepared) TestBed.initTestEnvironment(BrowserTestingModule, platformBrowserTesting());
  isPrepared = true;
  class Board {
    readonly show = setup(angularKit);
  }
  const template = '@let text = show(); <p [title]="text">{{ text }}</p>';
  Component({ template, changeDetection: ChangeDetectionStrategy.OnPush })(Board);
  TestBed.configureTestingModule({
    providers: [provideZonelessChangeDetection(), ...(runtime ? [angular.provideRuntime(runtime)] : [])],
  });
  const fixture = TestBed.createComponent(Board);
  await fixture.whenStable();
  element.append(fixture.nativeElement as Node);
  return {
    text: async () => (await fixture.whenStable(), element.textContent.trim()),
    unmount: () => (fixture.destroy(), void TestBed.resetTestingModule()),
  };
};

/** A component by hand: it watches what it selected, and shows its text once for all that changed in a turn. */
const byHand: Mount = async (given, setup, element = document.createElement('div')) => {
  const runtime = given ?? defaultRuntime();
  const stops = new Set<() => void>();
  const effects: (() => void)[] = [];
  let [version, isDue, isReady] = [0, false, false];
  const render = (): void => {
    isDue = false;
    if (stops.size === 0) return;
    element.textContent = show();
    for (const effect of effects) effect();
  };
  const due = (): void => {
    if (!isDue) queueMicrotask(render);
    isDue = true;
  };
  const followed = <T>(source: Source<T>): (() => void) => {
    const stop = runtime.watch(source, due, { onError: due });
    stops.add(stop);
    return () => (stop(), stops.delete(stop));
  };
  const show = setup({
    select<T>(of: Source<T> | ((read: Read) => T)) {
      let [source, stop, made]: [Source<T>?, (() => void)?, number?] = [];
      // Selectors without arguments are sources, and functions.
      const isSource = typeof of !== 'function' || Object.getOwnPropertySymbols(of).length > 0;
      const current = (): Source<T> => {
        if (source && (isSource || made === version)) return source;
        stop?.();
        source = isSource ? (of as Source<T>) : selector('selection', of as (read: Read) => T);
        made = version;
        stop = followed(source);
        return source;
      };
      return () => runtime.read(current());
    },
    action:
      (creator) =>
      (...payload) =>
        runtime.dispatch(creator(...payload)),
    task:
      (declared) =>
      (...args) =>
        runtime.run(declared(...args)),
    ready: () => () => isReady,
    state: (value) =>
      accessors(
        value,
        () => undefined,
        () => {
          version++;
          due();
        },
      ),
    derived: (fn) => fn,
    effect: (fn) => void effects.push(fn),
  });
  stops.add(() => undefined);
  void runtime.ready.then(() => {
    isReady = true;
    due();
  });
  render();
  await turn();
  return {
    text: async () => (await turn(), element.textContent),
    unmount: () => {
      for (const stop of stops) stop();
      stops.clear();
    },
  };
};

export const frameworks: Readonly<Record<string, Mount>> = {
  React: inReact,
  Vue: inVue,
  Svelte: inSvelte,
  Angular: inAngular,
};

export const withoutFramework: Readonly<Record<string, Mount>> = { 'No framework': byHand };
