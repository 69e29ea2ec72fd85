import { readdirSync, readFileSync } from 'node:fs';
import { defineConfig } from 'vitepress';

const titleOf = (page) =>
  /^# (.+)$/m.exec(readFileSync(new URL(`../.pages/${page}.md`, import.meta.url), 'utf8'))?.[1].replaceAll('`', '') ??
  page;
const item = (page) => ({ text: titleOf(page), link: `/${page}` });
const lessons = readdirSync(new URL('../.pages/tutorial', import.meta.url))
  .sort((a, b) => Number.parseInt(a) - Number.parseInt(b))
  .map((name) => `tutorial/${name.replace('.md', '')}`);
const guides = {
  'To begin': ['a-store-in-five-minutes', 'on-the-screen-react', 'on-the-screen-vue-svelte-angular', 'selectors'],
  'The work': [
    'work-over-time',
    'a-larger-application',
    'conventions',
    'entities',
    'keeping-state-between-sessions',
    'navigation',
    'interceptors',
  ],
  'Looking and testing': [
    'finding-out-what-happened',
    'looking-inside',
    'testing',
    'testing-with-jest',
    'every-order',
    'from-a-recording-to-a-test',
  ],
  Further: ['moving-to-floe', 'why-it-is-so', 'security', 'from-server-to-browser', 'extending-floe'],
};
const entries = [
  ...['floe', 'floe/entities', 'floe/trace', 'floe/persist', 'floe/persist/node', 'floe/location', 'floe/testing'],
  ...[
    'floe/react',
    'floe/vue',
    'floe/svelte',
    'floe/angular',
    'floe/inspector',
    'floe/inspector/link',
    'floe/telemetry',
    'floe/vite',
    'floe/eslint',
  ],
];

export default defineConfig({
  title: 'Floe',
  description:
    'Application state as stores, actions and selectors, with a recorded history and state that outlives the session.',
  srcDir: '.pages',
  outDir: 'dist',
  cacheDir: 'node_modules/.vitepress',
  cleanUrls: false,
  lastUpdated: false,
  head: [['link', { rel: 'icon', href: 'data:,' }]],
  themeConfig: {
    search: { provider: 'local' },
    outline: [2, 3],
    nav: [
      { text: 'Ideas', link: '/ideas' },
      { text: 'Tutorial', link: `/${lessons[0]}` },
      { text: 'Guides', link: '/guides/a-store-in-five-minutes' },
      { text: 'Reference', link: '/reference/' },
      { text: 'Try it', link: '/live' },
    ],
    sidebar: {
      '/reference/': [
        {
          text: 'Exports',
          items: entries.map((name) => ({ text: name, link: `/reference/exports/${name}` })),
        },
        {
          text: 'Rules and formats',
          items: ['commands', 'errors', 'semantics', 'link-protocol', 'http-storage'].map((one) =>
            item(`reference/${one}`),
          ),
        },
        { text: 'About the project', items: ['benchmarks', 'performance', 'quality', 'architecture'].map(item) },
      ],
      '/': [
        { text: 'Ideas', items: [item('ideas'), { text: 'Try it', link: '/live' }] },
        { text: 'Tutorial', items: lessons.map(item) },
        ...Object.entries(guides).map(([text, pages]) => ({ text, items: pages.map((one) => item(`guides/${one}`)) })),
      ],
    },
  },
  // The library's own bundles, which the live page imports by address.
  vite: { build: { chunkSizeWarningLimit: 1500 } },
});
