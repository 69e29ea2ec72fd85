// The rows about components in each framework, measured in Chromium against the framework's own state.
import { withPage } from './react.mjs';

const inPage = (framework, kind) =>
  withPage('frameworks/page.ts', async (page, code) => {
    await page.addScriptTag({ content: code, type: 'module' });
    await page.waitForFunction(() => 'bench' in globalThis);
    return page.evaluate((given) => globalThis.bench.measure(...given), [framework, kind, 5000]);
  });

const own = { react: 'a context with `useState`', vue: 'a ref', svelte: '`$state` in a prop', angular: 'a signal' };
const names = { react: 'React', vue: 'Vue', svelte: 'Svelte', angular: 'Angular' };
export const rows = Object.keys(names).flatMap((framework) =>
  ['source', 'function'].flatMap((kind) =>
    ['mount', 'change'].map((what) => ({
      work: `${what === 'mount' ? 'mounting' : 'changing all of'} 5,000 rows in ${names[framework]} that select a ${kind}`,
      against: own[framework],
      most: kind === 'source' ? 2 : 3,
      run: async () => (await inPage(framework, kind))[what],
    })),
  ),
);

if (process.argv[1]?.endsWith('frameworks.mjs'))
  for (const framework of process.argv[2] ? [process.argv[2]] : Object.keys(names))
    for (const kind of ['source', 'function']) {
      const found = await inPage(framework, kind);
      for (const [what, { floe, peer }] of Object.entries(found))
        console.log(framework, kind, what, (floe / peer).toFixed(2), (floe / 1e6).toFixed(1), (peer / 1e6).toFixed(1));
    }
