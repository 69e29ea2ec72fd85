import { createRuntime } from 'floe';
import { webStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { stores } from './model/index.js';

export const runtime = createRuntime({
  stores,
  trace: recording({ limit: 1000 }),
  storage: webStorage('local', { prefix: 'APP_NAME' }),
});

// A production build leaves the inspector out.
if (import.meta.env.DEV) void import('floe/inspector').then(({ showInspector }) => showInspector(runtime));
