// Run by index.mjs, each row in a process of its own: no row pays for what another has left behind.
import { rows as cliffRows } from './cliffs.mjs';
import { rows as entityRows } from './entities.mjs';
import { rows as exploreRows } from './explore.mjs';
import { rows as frameworkRows } from './frameworks.mjs';
import { rows as inspectorRows } from './inspector.mjs';
import { rows as modelRows } from './model.mjs';
import { rows as persistRows } from './persist.mjs';
import { rows as reactRows } from './react.mjs';
import { rows as taskRows } from './tasks.mjs';
import { rows as traceRows } from './trace.mjs';

export const rows = [
  ...modelRows,
  ...taskRows,
  ...entityRows,
  ...traceRows,
  ...persistRows,
  ...reactRows,
  ...frameworkRows,
  ...inspectorRows,
  ...exploreRows,
  ...cliffRows,
];

const [number] = process.argv.slice(2);
if (/^\d+$/.test(number ?? '')) process.stdout.write(JSON.stringify(await rows[Number(number)].run()));
