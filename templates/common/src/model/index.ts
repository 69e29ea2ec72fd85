// The model of the application. The floe command reads the lists.
import { visitCancelled, visitPlanned, visits } from './visits.js';

export * from './visits.js';

export const stores = [visits];

/** What `floe explore` tries, in every order. */
export const examples = [visitPlanned('Wren Sound'), visitPlanned('Corran Bell'), visitCancelled('Wren Sound')];
