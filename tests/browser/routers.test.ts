// The adapters of the guide "Navigation", each with the router of its framework, in Vite's development server: links, dispatched places,
// back, a guard that refuses, and time travel. In the long mode only.
import { expect } from '@jest/globals';
import { readFileSync } from 'node:fs';
import type { Page } from 'playwright-core';
import type { Runtime } from 'floe';
import type { Trace } from 'floe/trace';
import { inLongMode } from '../support/in-long-mode.js';
import { applications, served } from '../support/vite.js';

const { newPage, write } = applications('routers');

const guide = readFileSync('docs/guides/navigation.md', 'utf8');
const adapters = Object.fromEntries(
  Array.from(guide.matchAll(/^```ts file=(\S+)\n([^]*?)^```$/gm), ([, path, code]) => [path, code]),
);

const model = `import { createRuntime } from 'floe';
import { location, oneOf } from 'floe/location';
import { recording } from 'floe/trace';
export const address = location('address', {
  paths: { board: '/', visit: '/visits/:id' },
  query: { filter: oneOf('all', 'expected') },
});
export const runtime = createRuntime({ stores: [address], trace: recording() });
Object.assign(globalThis, { harbour: { runtime, address } });
`;
const page = (script: string): string =>
  `<!doctype html><link rel="icon" href="data:,"><base href="/"><div id="root"></div><script type="module" src="/${script}"></script>`;

/** What each application shows: the board with a link to a visit, the visit, and a place whose guard refuses. */
const programs: Record<string, Record<string, string>> = {
  react: {
    'index.html': page('main.tsx'),
    'main.tsx': `import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Link, redirect, RouterProvider, useParams } from 'react-router';
import { linkAddress } from 'floe/location';
import { address, runtime } from './model';
import { reactBar } from './react-bar';
const Board = () => <h1>Board <Link to="/visits/v7">Wren Sound</Link></h1>;
const Visit = () => <h1>Visit {useParams().id}</h1>;
const loader = ({ params }) => new Promise((go) => setTimeout(go, 30)).then(() => (params.id === 'closed' ? redirect('/') : null));
const router = createBrowserRouter([
  { path: '/', Component: Board, HydrateFallback: () => null },
  { path: '/visits/:id', Component: Visit, loader, HydrateFallback: () => null },
]);
linkAddress(runtime, address, reactBar(router));
createRoot(document.getElementById('root')).render(<RouterProvider router={router} />);
`,
  },
  vue: {
    'index.html': page('main.ts'),
    'main.ts': `import { createApp, h } from 'vue';
import { createRouter, createWebHistory, RouterLink, RouterView, useRoute } from 'vue-router';
import { linkAddress } from 'floe/location';
import { address, runtime } from './model';
import { vueBar } from './vue-bar';
const Board = { render: () => h('h1', ['Board ', h(RouterLink, { to: '/visits/v7' }, () => 'Wren Sound')]) };
const Visit = { setup: () => { const route = useRoute(); return () => h('h1', 'Visit ' + route.params.id); } };
const router = createRouter({
  history: createWebHistory(),
  routes: [{ path: '/', component: Board }, { path: '/visits/:id', component: Visit }],
});
router.beforeEach((to) => new Promise((go) => setTimeout(() => go(to.params.id !== 'closed'), 30)));
linkAddress(runtime, address, vueBar(router));
createApp({ render: () => h(RouterView) }).use(router).mount('#root');
`,
  },
  angular: {
    'index.html': page('main.ts').replace('<div id="root"></div>', '<app-root></app-root>'),
    'main.ts': `import '@angular/compiler';
import { Component, inject, provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { ActivatedRoute, provideRouter, Router, RouterLink, RouterOutlet } from '@angular/router';
import { linkAddress } from 'floe/location';
import { address, runtime } from './model';
import { angularBar } from './angular-bar';
const Board = Component({ selector: 'a-board', imports: [RouterLink], template: '<h1>Board <a routerLink="/visits/v7">Wren Sound</a></h1>' })(class {});
class AVisit { params = inject(ActivatedRoute).snapshot.params; }
const Visit = Component({ selector: 'a-visit', template: '<h1>Visit {{ params.id }}</h1>' })(AVisit);
const App = Component({ selector: 'app-root', imports: [RouterOutlet], template: '<router-outlet />' })(class {});
const guard = ({ params }) => new Promise((go) => setTimeout(() => go(params.id !== 'closed'), 30));
const routes = [
  { path: '', component: Board },
  { path: 'visits/:id', component: Visit, canActivate: [guard] },
];
const app = await bootstrapApplication(App, {
  providers: [provideZonelessChangeDetection(), provideRouter(routes)],
});
const router = app.injector.get(Router);
router.routeReuseStrategy.shouldReuseRoute = () => false;
linkAddress(runtime, address, angularBar(router));
`,
  },
  kit: {
    'svelte.config.js': 'export default {};\n',
    'vite.config.js': `import { sveltekit } from '@sveltejs/kit/vite';
export default { plugins: [sveltekit()] };
`,
    'src/app.html':
      '<!doctype html><html><head><link rel="icon" href="data:,">%sveltekit.head%</head><body><div id="root">%sveltekit.body%</div></body></html>',
    'src/routes/+layout.svelte': `<script>
  import { onDestroy } from 'svelte';
  import { browser } from '$app/environment';
  import { linkAddress } from 'floe/location';
  import { address, runtime } from '$lib/model';
  import { kitBar } from '$lib/kit-bar';
  let { children } = $props();
  if (browser) onDestroy(linkAddress(runtime, address, kitBar()));
</script>
{@render children()}
`,
    'src/routes/+page.svelte': '<h1>Board <a href="/visits/v7">Wren Sound</a></h1>\n',
    'src/routes/visits/[id]/+page.svelte': `<script>
  let { data } = $props();
</script>
<h1>Visit {data.id}</h1>
`,
    'src/routes/visits/[id]/+page.js': `import { redirect } from '@sveltejs/kit';
export const load = async ({ params }) => {
  await new Promise((go) => setTimeout(go, 30));
  if (params.id === 'closed') redirect(307, '/');
  return { id: params.id };
};
`,
  },
};

interface Harbour {
  readonly runtime: Runtime & { readonly trace: Trace };
  readonly address: { went(to: object): never };
}
type Place = [at: string | null, id: string | undefined];
const placeIn = (page: Page): Promise<Place> =>
  page.evaluate(() => {
    const { runtime, address } = (globalThis as unknown as { harbour: Harbour }).harbour;
    const { at, params } = runtime.read(address as never) as { at: string | null; params: { id?: string } };
    return [at, params.id] as Place;
  });
/** Sends the store to a visit, or to each of some in one turn. */
const go = (page: Page, ...ids: string[]): Promise<void> =>
  page.evaluate((ids) => {
    const { runtime, address } = (globalThis as unknown as { harbour: Harbour }).harbour;
    for (const id of ids) runtime.dispatch(address.went({ at: 'visit', params: { id } }));
  }, ids);

inLongMode.each(Object.keys(programs))('%s', async (framework) => {
  const isKit = framework === 'kit';
  const own = isKit ? 'src/lib' : '.';
  const files = {
    ...programs[framework],
    'package.json': '{ "type": "module" }',
    [`${own}/model.ts`]: model,
    [`${own}/${framework}-bar.ts`]: adapters[`${framework}-bar.ts`],
  };
  const app = write(framework, Object.entries(files));
  expect(
    adapters[`${framework}-bar.ts`].split('\n').filter((line) => !/^(import|\/\*\*|$)/.test(line)).length,
  ).toBeLessThan(11);
  await served(app, async (address) => {
    const page = await newPage();
    const wrongs: string[] = [];
    page.on('pageerror', (error) => wrongs.push(error.message));
    page.on('console', (message) => message.type() === 'error' && wrongs.push(message.text()));
    const shows = (text: string): Promise<void> =>
      page.getByRole('heading', { name: text, exact: true }).waitFor({ timeout: 15_000 });
    const entries = (): Promise<number> => page.evaluate(() => history.length);

    // It begins where the browser is.
    await page.goto(`${address}visits/v1?filter=expected`, { timeout: 60_000 });
    await shows('Visit v1');
    await page.waitForFunction(() => 'harbour' in globalThis);
    expect(await placeIn(page)).toEqual(['visit', 'v1']);
    // A place that is dispatched, two in one turn, and one that a guard refuses.
    await go(page, 'v2');
    await shows('Visit v2');
    await go(page, 'v3', 'v4');
    await shows('Visit v4');
    expect(new URL(page.url()).pathname).toBe('/visits/v4');
    await go(page, 'closed');
    const refused: Place = framework === 'react' || isKit ? ['board', undefined] : ['visit', 'v4'];
    await shows(refused[0] === 'board' ? 'Board Wren Sound' : 'Visit v4');
    await page.waitForTimeout(100);
    expect(await placeIn(page)).toEqual(refused);
    // The user's own ways.
    await page.evaluate(() => {
      const { runtime, address } = (globalThis as unknown as { harbour: Harbour }).harbour;
      runtime.dispatch(address.went({ at: 'board' }));
    });
    await page.getByText('Wren Sound').click();
    await shows('Visit v7');
    await page.waitForTimeout(100);
    expect(await placeIn(page)).toEqual(['visit', 'v7']);
    await page.goBack();
    await shows('Board Wren Sound');
    await page.waitForTimeout(100);
    expect(await placeIn(page)).toEqual(['board', undefined]);
    // Back in time, and to the present again: the history of the browser does not grow.
    const before = await entries();
    const travel = (to: 'v2' | 'now'): Promise<void> =>
      page.evaluate((to) => {
        const { trace } = (globalThis as unknown as { harbour: Harbour }).harbour.runtime;
        if (to === 'now') return trace.live();
        trace.seek(trace.steps.find((step) => JSON.stringify(step.action?.payload)?.includes(`"${to}"`))!.seq);
      }, to);
    await travel('v2');
    await shows('Visit v2');
    await travel('now');
    await shows('Board Wren Sound');
    await page.waitForTimeout(100);
    expect([await placeIn(page), await entries()]).toEqual([['board', undefined], before]);
    expect(wrongs).toEqual([]);
    await page.close();
  });
});
