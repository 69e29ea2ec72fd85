// The process that `scripts/crash.mjs` kills: changes its state without end, and says what was acknowledged as stored.
import { writeSync } from 'node:fs';
import { createRuntime } from 'floe';
import { fileStorage } from 'floe/persist/node';
import { changed, rows } from './crash-model.mjs';

const [folder] = process.argv.slice(2);
const runtime = createRuntime({
  stores: [rows],
  storage: fileStorage({ folder, writeAfter: Infinity }),
  onProblem: ({ error }) => writeSync(1, `problem ${error.code}\n`),
});
writeSync(1, `begun ${runtime.read(rows).n}\n`);
for (;;) {
  runtime.dispatch(changed());
  // Not each change is stored by itself.
  if (runtime.read(rows).n % 3 === 0) continue;
  if (await runtime.persistence.flush()) writeSync(1, `stored ${runtime.read(rows).n}\n`);
}
