// Run by index.mjs, each row in a process of its own: no row pays for what another has left behind.
import { rows as entityRows } from './entities.mjs';
import { rows as modelRows } from './model.mjs';

export const rows = [...modelRows, ...entityRows];

const [number] = process.argv.slice(2);
if (number !== undefined) process.stdout.write(JSON.stringify(rows[Number(number)].run()));
