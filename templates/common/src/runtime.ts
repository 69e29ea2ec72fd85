import { createRuntime } from 'floe';
import { linkAddress } from 'floe/location';
import { webStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { address, office, stores } from './model';
import { localOffice } from './office';

export const runtime = createRuntime({
  stores,
  needs: [office.by(localOffice)],
  storage: webStorage('local', { prefix: 'APP_NAME' }),
  // A production build leaves out the recording and the inspector.
  trace: import.meta.env.DEV ? recording({ limit: 1000 }) : undefined,
  // The page shows what the office refuses.
  onProblem: ({ error }) => console.info(error),
});
linkAddress(runtime, address);

if (import.meta.env.DEV) void import('floe/inspector').then(({ showInspector }) => showInspector(runtime));
