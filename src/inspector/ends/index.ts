// What the inspector, the command line and a page need of links.
export { linkRuntime, type Inspectable, type RuntimeEndOptions } from './runtime-end.js';
export { linkRecording } from './file-end.js';
export { storeDeclared, taskDeclared } from './declared-model.js';
export { checkBegin, RecordedHistory } from './recorded-history.js';
export { Asking, channelPair, LinkFailure } from '../protocol/rpc.js';
export { linkTooNew } from '../protocol/errors.js';
export { asks } from '../history/finding.js';
export { pause, Slice } from '../protocol/slices.js';
export { duration } from '../history/words.js';
export type * from '../protocol/protocol.js';
export { LINK_VERSION } from '../protocol/protocol.js';
