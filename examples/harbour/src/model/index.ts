// The model of the control room: the very same modules run in the page and in `npm run demo -- --headless`.
import { address } from './address.js';
import { log } from './log.js';
import { port } from './port.js';
import { notices } from './notices.js';
import { positions } from './positions.js';
import { unsent } from './unsent.js';
import { visits } from './visits.js';

export * from './address.js';
export * from './board.js';
export * from './log.js';
export * from './notices.js';
export * from './office.js';
export * from './port.js';
export * from './positions.js';
export * from './shift.js';
export * from './types.js';
export * from './unsent.js';
export * from './visits.js';
export * from './work.js';

export const stores = [visits, port, log, notices, positions, address, unsent] as const;
