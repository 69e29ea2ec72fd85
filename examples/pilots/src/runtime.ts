import { createRuntime } from 'floe';
import { recording } from 'floe/trace';
import { office, stores } from './model';
import { localOffice } from './office';

export const runtime = createRuntime({
  stores,
  needs: [office.by(localOffice)],
  trace: import.meta.env.DEV ? recording() : undefined,
  // The page shows what the office refuses.
  onProblem: ({ error }) => console.info(error),
});

if (import.meta.env.DEV)
  void import('floe/inspector').then(({ showInspector }) => showInspector(runtime, { folded: true }));
