// One of the threads of `npm run simulate`: plays the programs of each seed that it is given.
import { parentPort, workerData } from 'node:worker_threads';
import { pathToFileURL } from 'node:url';

const { bundles, settings } = workerData;
const library = async (mode) => {
  process.env.NODE_ENV = mode;
  return import(pathToFileURL(bundles[mode]).href);
};
const production = await library('production');
const development = await library('development');
const libraries = { development: development.library, production: production.library };

parentPort.on('message', async ({ seed, seconds }) => {
  const { besides, ...others } = settings;
  const { spans, ...result } = await development.simulate({
    ...libraries,
    ...others,
    ...{ seed, seconds: seconds ?? Infinity },
    ...(besides && { besides: new RegExp(besides) }),
  });
  parentPort.postMessage({ ...result, counts: spans.entries });
});
