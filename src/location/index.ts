// floe/location: the address as state.
export { location } from './location.js';
export { browserAddress } from './browser-address.js';
export { linkAddress } from './link.js';
export { decimal, flag, oneOf, text, whole } from './codec.js';

export type {
  ActionOfQuery,
  AddressStore,
  EntryOptions,
  Going,
  LocationOptions,
  Place,
  QueryChange,
  QueryChanged,
} from './location.js';
export type { AddressBar } from './address-bar.js';
export type { Codec } from './codec.js';
