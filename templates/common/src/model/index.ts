// The model of the application. The floe command reads the lists.
import { address } from './address';
import { visitCancelled, visitPlanned, visits } from './visits';

export * from './address';
export * from './visits';

export const stores = [visits, address];

/** What `floe explore` tries, in every order. */
export const examples = [visitPlanned('Wren Sound'), visitPlanned('Corran Bell'), visitCancelled('Wren Sound')];
