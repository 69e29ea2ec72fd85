// What the inspector, the command line and a page need of links.
export { linkRuntime, type Inspectable, type RuntimeEndOptions } from './runtime-end.js';
export { linkRecording, RecordedHistory } from './file-end.js';
export { Asking, channelPair, LinkFailure } from './rpc.js';
export { linkTooNew } from './errors.js';
export { asks } from './finding.js';
export { pause, Slice } from './slices.js';
export { duration } from './words.js';
export type * from './protocol.js';
export { LINK_VERSION } from './protocol.js';
