// floe/persist/node: files, for Node.js.
export { fileStorage, fileArea } from './file.js';
export type { FileStorageOptions } from './file.js';
