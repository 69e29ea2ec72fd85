import { FloeError } from '../../core/internal.js';

export const storageInUse = (
  folder: string,
  owner:
    { readonly process: number; readonly thread?: number; readonly host: string; readonly since: string } | undefined,
): FloeError =>
  new FloeError(
    'FLOE_STORAGE_IN_USE',
    `Another runtime keeps its state in '${folder}'${
      owner
        ? ` (process ${owner.process}${owner.thread ? `, thread ${owner.thread},` : ''} on ${owner.host}, since ${owner.since})`
        : ''
    }. Close that one first, or choose another folder. If there is no such process any more, remove the file 'owner.…' there.`,
  );
