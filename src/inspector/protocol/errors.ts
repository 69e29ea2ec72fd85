// The errors of links.
import { FloeError } from '../../core/internal.js';

/** Why a recording cannot be moved in a page, and why nothing is known of what followed its steps. */
export const NO_PAGE = 'A recording has no page that could be moved.';
export const NOT_OBSERVED = 'What followed these steps was not observed: that happens while an inspector is attached.';

export const NO_TASKS = 'In a recording no task can run: it has no application.';

export const NOT_KEPT = (): FloeError =>
  new FloeError(
    'FLOE_NOTHING_STORED',
    'This runtime keeps nothing: give it a storage with createRuntime({ storage }), and say which stores are persisted().',
  );

export const noSuchStore = (name: string): FloeError =>
  new FloeError('FLOE_NO_SUCH_STORE', `The runtime has no store '${name}'. Choose one of those that are listed.`);

export const NO_STORAGE = 'A recording has no storage: what an application stores is seen where it runs.';

export const noSuchTask = (seq: number, task: string | undefined): FloeError =>
  new FloeError(
    'FLOE_UNKNOWN_TASK',
    task === undefined
      ? `Step ${seq} belongs to no run of a task. Choose a step of the run that should be repeated.`
      : `The task '${task}' is not known here: it belongs to no store of this runtime. Add its store: createRuntime({ stores }).`,
  );

export const doesNotFit = ({ store, why }: { readonly store: string; readonly why: string }): FloeError =>
  new FloeError(
    'FLOE_SESSION_MISFIT',
    `The store '${store}' of the session does not fit this application: ${why}. Leave the store out, or open the session beside the application.`,
  );

export const noTrace = (): FloeError =>
  new FloeError(
    'FLOE_NO_TRACE',
    'This runtime records no trace, so there is no history to show: give it one with createRuntime({ trace: recording() }).',
  );

export const badPayload = (why: string): FloeError =>
  new FloeError(
    'FLOE_BAD_PAYLOAD',
    `The payload is not JSON: ${why}. Write a JSON value; a text stands in quotes. Without a payload, leave the field empty.`,
  );

export const linkTooNew = (found: number, known: number): FloeError =>
  new FloeError(
    'FLOE_LINK_TOO_NEW',
    `The application speaks version ${found} of the link protocol; this inspector knows versions up to ${known}. Use the inspector of the same release as the application.`,
  );

export const linkRefused = (origin: string, status: number): FloeError =>
  new FloeError(
    'FLOE_LINK_REFUSED',
    status === 401
      ? `The inspector at ${origin} does not know this token. Give linkInspector() the address that floe inspect printed last; floe inspect --token keeps one.`
      : `The inspector at ${origin} is reached by a name that it does not answer to. Use the address that floe inspect printed.`,
  );

export const badLinkAddress = (url: string, why: string): FloeError =>
  new FloeError(
    'FLOE_BAD_ADDRESS',
    `linkInspector() cannot use the url '${url}': ${why}. Give the address that floe inspect printed: http://127.0.0.1:4100/#token=...`,
  );
