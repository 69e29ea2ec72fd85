// floe/persist: state that outlives the session. File storage is in floe/persist/node.
export { webStorage, webArea } from './web.js';
export { memoryStorage } from './memory.js';
export { storageIn, STORED_VERSION } from './persistence.js';
export { memoryArea } from './area.js';

export type { Persistence } from './persistence.js';
export type { StorageArea } from './area.js';
export type { WebStorageOptions } from './web.js';
