import { action } from 'floe';

/** The watch is handed over. Every store clears what belongs to the shift. */
export const shiftEnded = action('shiftEnded', { about: { title: 'ended the shift' } });
