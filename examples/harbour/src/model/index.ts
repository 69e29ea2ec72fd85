// The model of the control room: the very same modules run in the page and in `floe demo --headless`.
import { log } from './log.js';
import { port } from './port.js';
import { visits } from './visits.js';

export * from './board.js';
export * from './log.js';
export * from './port.js';
export * from './shift.js';
export * from './types.js';
export * from './visits.js';

export const stores = [visits, port, log] as const;
