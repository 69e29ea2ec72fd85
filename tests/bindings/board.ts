// One component in each framework: it counts visits, names the one with a number that is state of its own, and says whether
// stored states were read.
import '@angular/compiler';
import { ChangeDetectionStrategy, Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { BrowserTestingModule, platformBrowserTesting } from '@angular/platform-browser/testing';
import { act, createElement, useState } from 'react';
import { createRoot } from 'react-dom/client';
import { compile, type CompileOptions } from 'svelte/compiler';
import { createApp, defineComponent, h, nextTick, ref } from 'vue';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { deserialize, serialize } from 'node:v8';
import { createRuntime, store, task, type DispatchResult, type Run, type Runtime } from 'floe';
import * as react from 'floe/react';
import * as vue from 'floe/vue';
import * as svelte from 'floe/svelte';
import * as angular from 'floe/angular';

export const visits = store('visits', { names: ['Ern', 'Tern', 'Skua'], note: '' }).persisted();
export const renamed = visits.action('renamed', (draft, { at, name }: { at: number; name: string }) => {
  draft.names[at] = name;
});
export const planned = visits.action('planned', (draft, name: string) => void draft.names.push(name));
export const noted = visits.action('noted', (draft, note: string) => void (draft.note = note));
/** How often selectors ran. */
export const ran = { count: 0 };
export const count = visits.selector('count', ({ names }) => {
  ran.count++;
  return names.length;
});
export const nameOf = visits.selector('nameOf', ({ names }, at: number) => {
  ran.count++;
  return names[at];
});
export const load = task(visits, 'load', ({ dispatch }, name: string) => {
  dispatch(planned(name));
  return Promise.resolve(name);
});

/** A component on the page. */
export interface Board {
  /** What it shows, once it shows everything. */
  text(): Promise<string>;
  /** How often it was rendered; one that is not known for a framework without renderings of a component. */
  renders(): number | undefined;
  /** The number of the visit that it names. */
  set(at: number): void;
  plan(name: string): DispatchResult;
  load(name: string): Run<string>;
  unmount(): void;
  /** Reached by what it selects: it is in memory as long as the component is. */
  readonly own: object;
}
export type Mount = (runtime: Runtime | undefined, element: HTMLElement) => Promise<Board>;

const shown = (all: number, name: string, isReady: boolean): string => `${all} ${name}${isReady ? '' : ' reading'}`;

const inReact: Mount = async (runtime, element) => {
  let renders = 0;
  const parts = {} as Pick<Board, 'set' | 'plan' | 'load'>;
  const own = { first: 0 };
  const Visits = () => {
    renders++;
    const [at, set] = useState(0);
    const all = react.useSelection(count);
    const name = react.useSelection((read) => read(nameOf(own.first + at)));
    Object.assign(parts, { set, plan: react.useAction(planned), load: react.useTask(load) });
    return createElement('p', {}, shown(all, name, react.useReady()));
  };
  const root = createRoot(element);
  const visit = createElement(Visits);
  const settled = () => act(() => Promise.resolve());
  await act(async () => {
    root.render(runtime ? createElement(react.RuntimeProvider, { runtime }, visit) : visit);
    await Promise.resolve();
  });
  return {
    text: async () => (await settled(), element.textContent),
    renders: () => renders,
    set: (at) => act(() => parts.set(at)),
    plan: (name) => parts.plan(name),
    load: (name) => parts.load(name),
    unmount: () => act(() => root.unmount()),
    own,
  };
};

/** The component in Vue; `renders` counts. */
export const vueBoard = (tally: { renders: number }, parts: Partial<Board>) =>
  defineComponent({
    setup() {
      const at = ref(0);
      const own = { first: 0 };
      const all = vue.useSelection(count);
      const name = vue.useSelection((read) => read(nameOf(own.first + at.value)));
      const isReady = vue.useReady();
      const set = (to: number) => void (at.value = to);
      Object.assign(parts, { set, plan: vue.useAction(planned), load: vue.useTask(load), own });
      return () => (tally.renders++, h('p', shown(all.value, name.value, isReady.value)));
    },
  });

// Older compilers of Svelte use it, and a simulated DOM has none.
(globalThis as Partial<typeof globalThis>).structuredClone ??= (value) => deserialize(serialize(value)) as typeof value;

// Vue asks whoever bundles it.
Object.assign(globalThis, {
  __VUE_OPTIONS_API__: true,
  __VUE_PROD_DEVTOOLS__: false,
  __VUE_PROD_HYDRATION_MISMATCH_DETAILS__: false,
});

const inVue: Mount = (runtime, element) => {
  const [tally, parts] = [{ renders: 0 }, {} as Board];
  const app = createApp(vueBoard(tally, parts));
  if (runtime) vue.provideRuntime(runtime, app);
  app.mount(element);
  return Promise.resolve({
    ...parts,
    text: async () => (await nextTick(), element.textContent),
    renders: () => tally.renders,
    unmount: () => app.unmount(),
  });
};

const SVELTE = `<script>
  import { setContext } from 'svelte';
  const { svelte, runtime, model, parts } = $props();
  if (runtime) svelte.provideRuntime(runtime);
  let at = $state(0);
  const own = { first: 0 };
  const all = svelte.useSelection(model.count);
  const name = svelte.useSelection((read) => read(model.nameOf(own.first + at)));
  const ready = svelte.useReady();
  const [plan, load] = [svelte.useAction(model.planned), svelte.useTask(model.load)];
  Object.assign(parts, { set: (to) => (at = to), plan, load, own });
</script>
<p>{all.current} {name.current}{ready.current ? '' : ' reading'}</p>`;

/** The component in Svelte, compiled for a browser or a server. */
export async function svelteBoard(generate: NonNullable<CompileOptions['generate']>): Promise<never> {
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
/** What the Svelte component is given. */
export const svelteProps = (runtime: Runtime | undefined, parts: Partial<Board>) => ({
  ...{ svelte, runtime, parts, model: { count, nameOf, planned, load } },
});

const inSvelte: Mount = async (runtime, element) => {
  const parts = {} as Board;
  const { flushSync, mount, unmount } = await import('svelte');
  const component = mount(await svelteBoard('client'), {
    target: element,
    props: svelteProps(runtime, parts) as never,
  });
  return {
    ...parts,
    text: () => (flushSync(), Promise.resolve(element.textContent)),
    renders: () => undefined,
    unmount: () => void unmount(component),
  };
};

let isPrepared = false;
const inAngular: Mount = async (runtime, element) => {
  if (!isPrepared) TestBed.initTestEnvironment(BrowserTestingModule, platformBrowserTesting());
  isPrepared = true;
  const at = signal(0);
  let renders = 0;
  class Visits {
    readonly all = angular.injectSelection(count);
    readonly own = { first: 0 };
    readonly name = angular.injectSelection((read) => read(nameOf(this.own.first + at())));
    readonly isReady = angular.injectReady();
    readonly plan = angular.injectAction(planned);
    readonly load = angular.injectTask(load);
    readonly shown = () => (renders++, shown(this.all(), this.name(), this.isReady()));
  }
  Component({ template: '<p>{{ shown() }}</p>', changeDetection: ChangeDetectionStrategy.OnPush })(Visits);
  TestBed.configureTestingModule({
    providers: [provideZonelessChangeDetection(), ...(runtime ? [angular.provideRuntime(runtime)] : [])],
  });
  const fixture = TestBed.createComponent(Visits);
  await fixture.whenStable();
  element.append(fixture.nativeElement as Node);
  return {
    text: async () => (await fixture.whenStable(), element.textContent),
    renders: () => renders,
    set: (to) => at.set(to),
    plan: (name) => fixture.componentInstance.plan(name),
    load: (name) => fixture.componentInstance.load(name),
    unmount: () => (fixture.destroy(), TestBed.resetTestingModule()),
    own: fixture.componentInstance.own,
  };
};

export const frameworks: Readonly<Record<string, Mount>> = {
  React: inReact,
  Vue: inVue,
  Svelte: inSvelte,
  Angular: inAngular,
};
export const newRuntime = (given: object = {}): Runtime => createRuntime({ stores: [visits], ...given });
