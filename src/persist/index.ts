// floe/persist: state that outlives the session. File storage is in floe/persist/node.
export { webStorage, webArea } from './web.js';
export { indexedDbStorage, indexedDbArea } from './indexed-db.js';
export { httpStorage, httpArea } from './http.js';
export { memoryStorage } from './memory.js';
export { storageIn } from './own-storage.js';
export { sharedTabs } from './tabs/shared-tabs.js';
export { memoryArea, StorageConflict } from './area.js';

export type { Persistence, StoredItem } from './persistence.js';
export type { OwnStorageOptions } from './own-storage.js';
export type { StorageOptions, TabOptions } from './storage.js';
export type { TabSharing } from './sharing.js';
export type { TabLink } from './tabs/tab-link.js';
export type { TabRole } from './tabs/tab.js';
export type { MaybeAsync, StorageArea } from './area.js';
export type { WebStorageOptions } from './web.js';
export type { IndexedDbStorageOptions } from './indexed-db.js';
export type { HttpStorageOptions } from './http.js';
