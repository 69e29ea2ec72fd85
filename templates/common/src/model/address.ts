import { selector } from 'floe';
import { location, text } from 'floe/location';
import { visits } from './visits';

/** The page's address: what is looked for stands in it, so that a user can send it to another one. */
export const address = location('address', { paths: { board: '/' }, query: { find: text } });

export const lookedFor = address.selector('lookedFor', ({ query }) => query.find ?? '');

/** The vessels whose names hold what is looked for. */
export const shown = selector('shown', (read) => {
  const find = read(lookedFor).toLowerCase();
  return read(visits).list.filter((vessel) => vessel.toLowerCase().includes(find));
});
