import { store } from 'floe';
import type { Port } from './types.js';

/** The port itself: berths, and the vessels that call here. */
const empty: Port = { berths: [], vessels: [] };
export const port = store('port', empty);

export const portArrived = port.action('arrived', (_draft, answer: Port) => answer);

export const berths = port.selector('berths', (state) => state.berths);
export const vessels = port.selector('vessels', (state) => state.vessels);
