// The catalogue of persistence's errors; `docs/reference/errors.md` explains each.
import { FloeError, messageOf } from '../core/errors.js';

export const storedDamaged = (store: string, aside: string, why: string): FloeError =>
  new FloeError(
    'FLOE_STORED_DAMAGED',
    `What is stored for '${store}' cannot be used: ${why}. It was set aside under '${aside}', and the store begins as declared.`,
  );

export const storedTooNew = (store: string, version: unknown): FloeError =>
  new FloeError(
    'FLOE_STORED_TOO_NEW',
    `What is stored for '${store}' was written by a newer version (format ${JSON.stringify(version)}). It is left untouched, and changes are not stored until this version is updated.`,
  );

export const storageFailed = (what: string, cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_FAILED',
    `${what}: ${messageOf(cause)}. What was stored before is still there; the next change is tried again.`,
    { cause },
  );

export const storageBlocked = (cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_BLOCKED',
    `The browser does not allow storage here (${messageOf(cause)}). State is kept in memory and is gone after a reload.`,
    { cause },
  );
