// Where the officer is: the board, or one visit. It stands in the browser's address, so that officers can send it to each other.
import { location } from 'floe/location';
import { shiftEnded } from './shift.js';
import { dayPicked } from './visits.js';

export const address = location('address', { paths: { board: '/', visit: '/visits/:id' } });

/** The address of a visit, for `address.went`. */
export const visitAt = (id: string) => ({ at: 'visit', params: { id } }) as const;

// Another day, or another officer: back to the board.
address.when(dayPicked, ({ others }, _day) => ({ ...address.parse('/'), others }));
address.when(shiftEnded, ({ others }) => ({ ...address.parse('/'), others }));

export const pickedId = address.selector('pickedId', (place) => (place.at === 'visit' ? place.params.id : null));
