// What the other parts of Floe use of this one besides its public entry. Nothing else of it is imported from outside.
export type { StorageArea } from './area.js';
export { KeptPart } from './kept-part.js';
export { storedItems } from './stored-items.js';
export { firstLine, lineageOf, readLog } from './log.js';
export type { Log } from './log.js';
export type { Persistence } from './persistence.js';
export { makeStorage } from './storage.js';
export type { StorageOptions } from './storage.js';
export { StoredTexts, headOf } from './stored-texts.js';
export { upgraded, versionOf } from './upgrade.js';
export { perform } from './work.js';
export type { AreaWork } from './work.js';
