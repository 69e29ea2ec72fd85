// The catalogue of persistence's errors; `docs/reference/errors.md` explains each.
import { FloeError, messageOf } from '../core/internal.js';

export const storedDamaged = (
  store: string,
  aside: string,
  why: string,
  rest: 'nothing' | 'the changes before',
): FloeError =>
  new FloeError(
    'FLOE_STORED_DAMAGED',
    `What is stored for '${store}' cannot be used: ${why}. It was set aside under '${aside}'; ${
      rest === 'nothing' ? 'the store begins as declared' : 'the store begins with the changes before it'
    }.`,
  );

export const storedCutShort = (store: string, why: string): FloeError =>
  new FloeError(
    'FLOE_STORED_CUT_SHORT',
    `What is stored for '${store}' ends in the middle of a change (${why}): the session before ended while it was written. The store begins with the changes before it.`,
  );

export const storedTooNew = (store: string, newer: string): FloeError =>
  new FloeError(
    'FLOE_STORED_TOO_NEW',
    `What is stored for '${store}' was written by a newer version (${newer}). It is left untouched, and changes are not stored until this version is updated.`,
  );

export const storedElsewhere = (store: string, fields: readonly string[], aside: string | undefined): FloeError =>
  new FloeError(
    'FLOE_STORED_ELSEWHERE',
    `Another session stored '${store}' meanwhile (sharedTabs() keeps the tabs of one browser in step): both are kept${
      aside === undefined
        ? '.'
        : `, except for ${fields.map((field) => `'${field}'`).join(', ')}, which both changed: this session's value is stored, and what the other stored was set aside under '${aside}'.`
    }`,
  );

export const badKept = (store: string, place: string, why: string): FloeError =>
  new FloeError(
    'FLOE_BAD_KEPT',
    `'${store}' cannot keep ${place === '' ? 'some fields' : `'${place}'`}: ${why}. Name a field, or a part that is reached through objects, in persisted({ only, except }).`,
    { path: place },
  );

export const storageFailed = (what: string, cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_FAILED',
    `${what}: ${messageOf(cause)}. What was stored before is still there; Floe tries again by itself, and with the next change.`,
    { cause },
  );

export const storageHangs = (what: string): FloeError =>
  new FloeError(
    'FLOE_STORAGE_HANGS',
    `The storage does not answer: ${what} takes more than 10 seconds. What was done is in memory, and is stored when the storage answers; until then flush, forget and rehydrate say false.`,
  );

export const notSetAside = (store: string, why: string, cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_FAILED',
    `What is stored for '${store}' is damaged (${why}) and could not be set aside: ${messageOf(cause)}. It is left as it is, and changes are not stored.`,
    { cause },
  );

export const storageUnreadable = (store: string, cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_UNREADABLE',
    `What is stored for '${store}' could not be read: ${messageOf(cause)}. It is left untouched; the store begins as declared, and its changes are not stored until persistence.rehydrate() has read it.`,
    { cause },
  );

export const storageBlocked = (cause: unknown): FloeError =>
  new FloeError(
    'FLOE_STORAGE_BLOCKED',
    `The browser does not allow storage here (${messageOf(cause)}). State is kept in memory and is gone after a reload.`,
    { cause },
  );

export const tabsDiffer = (store: string, own: number, other: number): FloeError =>
  new FloeError(
    'FLOE_TABS_DIFFER',
    `Another tab runs another version of this application: '${store}' is of version ${other} there and of version ${own} here. It is not kept in step until the older tab is reloaded.`,
  );

export const tabsUnfit = (store: string, why: string): FloeError =>
  new FloeError(
    'FLOE_TABS_DIFFER',
    `Another tab runs another version of this application: what it has of '${store}' does not fit here (${why}). It is not kept in step until both tabs are reloaded.`,
  );

export const overtaken = (type: string, why: string): FloeError =>
  new FloeError(
    'FLOE_DROPPED',
    `'${type}' was overtaken by what another tab did, and cannot be done on top of it (${why}). It was dropped.`,
  );

export const twoOrders = (store: string, places: readonly string[]): FloeError =>
  new FloeError(
    'FLOE_DROPPED',
    `Two tabs led without hearing of each other: what this tab had of '${store}' in ${places.join(', ')} was overtaken by what the other one ordered, and dropped.`,
  );

export const noAnswer = (what: string): FloeError =>
  new FloeError(
    'FLOE_STORAGE_FAILED',
    `The tab that writes what all tabs share does not answer: ${what} was not done. It may be held up; what was done here is shown, and is stored as soon as that tab goes on or is closed.`,
  );

export const tabsOutOfReach = (): FloeError =>
  new FloeError(
    'FLOE_TABS_OUT_OF_REACH',
    'Tabs cannot reach each other here: this browser has no BroadcastChannel. Each tab stores by itself, and what several of them change is joined when it is stored.',
  );
