// The catalogue of the core's errors: longer than other files, since it is a list. Each is declared once: what failed, why, and what to write instead. The long text
// is for development; a production build keeps the code and the names in it. `docs/reference/errors.md` explains each.
import { DEV } from './mode.js';

// Stryker disable StringLiteral: the wording of messages; tests look at codes, paths and the names in a message.

/** Every error that Floe throws or reports. `code` is stable and never reused; `path` is a JSON Pointer where one helps. */
export class FloeError extends Error {
  override readonly name = 'FloeError';
  constructor(
    /** A stable code, `FLOE_` and words. */
    readonly code: string,
    message: string,
    options?: { cause?: unknown; path?: string },
  ) {
    super(message, options && 'cause' in options ? { cause: options.cause } : undefined);
    if (options?.path !== undefined) this.path = options.path;
  }
  /** Where in the data, as a JSON Pointer (RFC 6901). */
  readonly path?: string;
}

const error = (
  code: string,
  subject: string,
  text: string | false,
  options?: { cause?: unknown; path?: string },
): FloeError => new FloeError(code, text || `${code} ${subject}`, options);

/** What can be wrong with a value that is not plain data. */
export type DataProblem = 'function' | 'symbol' | 'symbol key' | 'class' | 'cycle' | 'hole' | 'accessor';

const advice: Record<DataProblem, string> = DEV
  ? {
      function: 'a function; keep the data that it needs, and call the function from a selector or a task',
      symbol: 'a symbol; use a string',
      'symbol key': 'an object with a symbol as a key; use a string key',
      class: 'an instance of a class; keep its fields in a plain object and build the instance where it is used',
      cycle: 'an object that contains itself; keep a key to the other object instead of the object',
      hole: 'an array with holes; fill them, or use an object keyed by index',
      accessor: 'a property with a getter or setter; store the value, and derive the rest in a selector',
    }
  : ({} as Record<DataProblem, string>);

const nameOfClass = (value: unknown): string =>
  (value as { constructor?: { name?: string } } | null)?.constructor?.name ?? '';

export const notPlain = (what: string, path: string, problem: DataProblem, value?: unknown): FloeError =>
  error(
    'FLOE_NOT_PLAIN_DATA',
    `${what} ${path}`,
    DEV &&
      `${what} is not plain data: ${path === '' ? 'it' : `the value at ${path}`} is ${advice[problem]}${
        problem === 'class' && nameOfClass(value) ? ` (found: ${nameOfClass(value)})` : ''
      }. State and payloads are objects, arrays, strings, numbers, booleans, null, and Date, Map, Set, BigInt or undefined as leaf values.`,
    { path },
  );

/** The nearest of some names, for "did you mean". */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  let best: string | undefined;
  let least = Math.max(2, Math.floor(name.length / 3)) + 1;
  for (const other of known) {
    const distance = editDistance(name.toLowerCase(), other.toLowerCase());
    if (distance < least) [best, least] = [other, distance];
  }
  return best;
}

/** Levenshtein distance: the number of letters to insert, delete or replace. */
function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next.push(Math.min(row[j] + 1, next[j - 1] + 1, row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1)));
    row = next;
  }
  return row[b.length];
}

const meant = (name: string, known: Iterable<string>): string => {
  const other = nearest(name, known);
  return other === undefined ? '' : ` Did you mean '${other}'?`;
};

export const badName = (what: string, name: unknown): FloeError =>
  error(
    'FLOE_BAD_NAME',
    what,
    DEV &&
      `${what} needs a name: a non-empty string without '.' or '/' (found: ${
        typeof name !== 'string' ? typeof name : name in {} ? `'${name}', which every object inherits` : `'${name}'`
      }).`,
  );

export const notAnInterceptor = (name: string): FloeError =>
  badOption(
    'addInterceptor',
    name,
    DEV && `takes a function after the name: addInterceptor('${name}', (sent, { proceed }) => proceed())`,
  );

/** @param renewed the second definition was taken for that of a reloaded module */
export const nameTaken = (what: string, name: string, renewed = false): FloeError =>
  error(
    'FLOE_NAME_TAKEN',
    name,
    DEV &&
      `${what} '${name}' is declared twice. ${
        renewed
          ? `Both have the same fields, so the second was taken for a reloaded module, and the state was kept. A production build throws. If this is a reload, use the plugin of floe/vite, or add to the module: if (import.meta.hot) import.meta.hot.accept((next) => next && runtime.renew(next.${name})). If these are two stores, give the second its own name.`
          : what === 'The store'
            ? `Give the second its own name; for two copies of one store use copyOf(store, 'otherName'); for a reloaded module use runtime.renew(store).`
            : `Which of the two counts would be chance: give the second its own name.`
      }`,
  );

/** The name of the task whose call was found, if one was. */
const taskOf = (found: unknown): string | undefined =>
  (found as { readonly task?: { readonly name?: string } } | null | undefined)?.task?.name;

export const notAnAction = (found: unknown): FloeError =>
  error(
    'FLOE_NOT_AN_ACTION',
    typeof found,
    DEV &&
      (typeof found === 'function' && typeof (found as { type?: unknown }).type === 'string'
        ? `dispatch was given the action creator '${(found as { type?: string }).type}' itself. Call it: dispatch(creator(payload)).`
        : taskOf(found) !== undefined
          ? `dispatch was given the call of the task '${taskOf(found)!}'. Run it: run(task(arguments)).`
          : `dispatch needs an action, an object with a text 'type' (found: ${found === null ? 'null' : typeof found}). Make one with an action creator.`),
  );

export const unknownAction = (type: string, known: Iterable<string>): FloeError =>
  error(
    'FLOE_UNKNOWN_ACTION',
    type,
    DEV &&
      `No store knows the action '${type}'.${meant(type, known)} A hand-written { type } reaches only stores that the runtime holds: list the store in createRuntime({ stores }), or use its action creator.`,
  );

export const asyncChange = (type: string, store: string): FloeError =>
  error(
    'FLOE_ASYNC_CHANGE',
    `${type} ${store}`,
    DEV &&
      `The change of '${store}' for '${type}' returned a promise. A change is synchronous: do the waiting outside, then dispatch an action that carries the result.`,
  );

export const editedAndReturned = (type: string, store: string): FloeError =>
  error(
    'FLOE_EDITED_AND_RETURNED',
    `${type} ${store}`,
    DEV &&
      `The change of '${store}' for '${type}' edited the draft and also returned a value. Do one of the two: edit the draft and return nothing (write (draft) => { draft.x = 1; } with braces), or return the next state and leave the draft alone.`,
  );

export const changeFailed = (type: string, store: string, cause: unknown): FloeError =>
  isCloneError(cause)
    ? notCloneable(`the change of '${store}' for '${type}'`, cause)
    : isFrozenError(cause)
      ? stateEdited(`the change of '${store}' for '${type}'`, cause)
      : error(
          'FLOE_CHANGE_FAILED',
          `${type} ${store}`,
          DEV &&
            `The change of '${store}' for '${type}' threw: ${messageOf(cause).replace(/\.$/, '')}. No store was touched.`,
          { cause },
        );

export const draftEnded = (key: string): FloeError =>
  error(
    'FLOE_DRAFT_ENDED',
    key,
    DEV &&
      `A draft was used after its change had ended (at '${key}'). Drafts live only while the change runs: copy what you need into a variable, or dispatch another action.`,
  );

export const selectorEnded = (key: string): FloeError =>
  error(
    'FLOE_SELECTOR_ENDED',
    key,
    DEV &&
      `A part of the state was used after the selector that read it had ended (at '${key}'): it left in a closure, in an instance of a class or after a wait, where it is no longer tracked. Return plain data from the selector, or copy what you need while it runs.`,
  );

export const notCloneable = (where: string, cause: unknown): FloeError =>
  error(
    'FLOE_NOT_CLONEABLE',
    where,
    DEV &&
      `structuredClone was called in ${where} on a part of the state, which is a proxy there. In a selector return the part itself: state is never edited in place, so it needs no copy. In a change assign it, or copy it with { ...part }.`,
    { cause },
  );

/** @param where what edited it */
export const stateEdited = (where: string, cause: unknown): FloeError =>
  error(
    'FLOE_STATE_EDITED',
    where,
    DEV &&
      `A part of the state was edited in ${where}: ${messageOf(cause).replace(/\.$/, '')}. Floe froze it, since only actions change the state: dispatch an action whose change edits its draft, or copy the part and edit the copy.`,
    { cause },
  );

export const selectorEdits = (): FloeError =>
  error(
    'FLOE_DRAFT_MISUSE',
    'selector',
    DEV &&
      'A selector cannot edit what it reads. Copy it first: [...list].sort(compare), { ...part, open: true }. To change the state, dispatch an action.',
  );

/** @param key what was read of `read`, as if it were the state */
export const readIsNoState = (key: string): FloeError =>
  error(
    'FLOE_NOT_A_SOURCE',
    key,
    DEV &&
      `'${key}' was read of the function \`read\`, which a selection and a selector of many stores are given instead of a state. Read the store with it: (read) => read(store).${key}, with the store that has '${key}'.`,
  );

/** @param instead what to do instead; only development says it */
export const draftMisuse = (what: string, instead: string | false): FloeError =>
  error('FLOE_DRAFT_MISUSE', what, DEV && `A draft cannot ${what}: ${String(instead)}.`);

export const wrongPlace = (what: string, where: string): FloeError =>
  error(
    'FLOE_WRONG_PLACE',
    `${what} ${where}`,
    DEV &&
      `${what} was called inside ${where}. A change only edits its draft and a selector only derives a value; dispatch from the handler, the watcher or the task that knows that it happened.`,
  );

/** @param who keeps dispatching, as the beginning of a sentence */
export const endlessLoop = (types: readonly string[], who?: string): FloeError =>
  error(
    'FLOE_ENDLESS_LOOP',
    types.join(' '),
    DEV &&
      `${who ? `${who} keeps` : 'Watchers keep'} dispatching: ${types.map((type) => `'${type}'`).join(', ')} went round without end and was stopped. Make ${who ? 'its hook' : 'the watcher'} dispatch only when there is something to do, or derive the value in a selector.`,
  );

export const selectorCycle = (chain: readonly string[]): FloeError =>
  error(
    'FLOE_SELECTOR_CYCLE',
    chain.join(' '),
    DEV && `Selectors read each other in a circle: ${chain.join(' -> ')}. Take out one of these reads.`,
  );

export const notASource = (found: unknown): FloeError =>
  error(
    'FLOE_NOT_A_SOURCE',
    typeof found,
    DEV && `${aboutSource(found)} A source is a store, a selector with its arguments, or an at(...).`,
  );

function aboutSource(found: unknown): string {
  if (typeof found === 'function') {
    const { type, definition } = found as { readonly type?: unknown; readonly definition?: unknown };
    if (definition) return `The task '${found.name}' was given where a source is read: read its status, task.status.`;
    if (typeof type === 'string')
      return `The action creator '${type}' was given where a source is read: read the store or a selector, and dispatch the action.`;
    return `The selector '${found.name}' needs its arguments before it can be read: read(selector(argument)).`;
  }
  const kind = typeof found === 'string' ? `the text '${found}'` : found === null ? 'null' : typeof found;
  return `Something that is no source was to be read (found: ${kind}).${
    found === undefined ? ' Where modules import each other in a circle, an import may still be undefined.' : ''
  }`;
}

export const otherCopy = (version: string, own: string): FloeError =>
  error(
    'FLOE_OTHER_COPY',
    `${version} ${own}`,
    DEV &&
      `Another copy of Floe made this, ${
        version === own ? `of the same version ${own}` : `version ${version}; this copy is version ${own}`
      }. Stores, selectors, tasks, recordings, storages and runtimes work with the copy that made them: have the parts of the page import one copy (one bundle, or one entry of an import map), or hand plain data over: actions, snapshots, trace files.`,
  );

export const notARuntime = (found: unknown): FloeError =>
  error(
    'FLOE_NOT_A_RUNTIME',
    typeof found,
    DEV &&
      `A runtime is needed here (found: ${found === null ? 'null' : typeof found}). Give what createRuntime(...) returned.`,
  );

export const notAStore = (found: unknown): FloeError =>
  error(
    'FLOE_NOT_A_STORE',
    typeof found,
    DEV &&
      `A list of stores holds something that is no store (found: ${found === null ? 'null' : typeof found}).${
        found === undefined ? ' Where modules import each other in a circle, an import may still be undefined.' : ''
      } Give what store(...) returned.`,
  );

export const badArgument = (selector: string, path: string): FloeError =>
  error(
    'FLOE_BAD_ARGUMENT',
    `${selector} ${path}`,
    DEV &&
      `The arguments of the selector '${selector}' must be plain data, since equal arguments share one result; the one at ${path} is not. Pass a key or other data, and look the object up inside.`,
    { path },
  );

export const badTime = (what: string, found: unknown): FloeError =>
  error(
    'FLOE_BAD_TIME',
    what,
    DEV &&
      `${what} takes a number of milliseconds, 0 or more (found: ${typeof found === 'number' ? String(found) : typeof found}).`,
  );

export const closed = (what: string): FloeError =>
  error(
    'FLOE_CLOSED',
    what,
    DEV && `${what} was called on a runtime that is closed. Make a new one with createRuntime.`,
  );

export const noRuntimeOnServer = (): FloeError =>
  error(
    'FLOE_NO_RUNTIME',
    '',
    DEV &&
      'There is no runtime here. In a browser one default runtime serves the page, but on a server it would leak the state of one request into another: make one for each request with createRuntime and hand it to the provider.',
  );

/** @param why only development says it */
export const badPointer = (pointer: string, why: string | false): FloeError =>
  error('FLOE_BAD_POINTER', pointer, DEV && `'${pointer}' is not a JSON Pointer (RFC 6901): ${String(why)}.`, {
    path: pointer,
  });

export const patchFailed = (index: number, path: string, why: string | false): FloeError =>
  error(
    'FLOE_PATCH_FAILED',
    `${index} ${path}`,
    DEV && `Operation ${index} of the patch (at '${path}') cannot be applied: ${String(why)}. Nothing was changed.`,
    {
      path,
    },
  );

/** How the message begins that says that a rule does not hold. */
export const brokenRule = (name: string): string =>
  DEV ? `The rule '${name}' does not hold after ` : `FLOE_INVARIANT_BROKEN ${name} `;

export const invariantBroken = (name: string, type: string, cause?: unknown): FloeError =>
  error(
    'FLOE_INVARIANT_BROKEN',
    `${name} ${type}`,
    DEV && `${brokenRule(name)}'${type}'${cause === undefined ? '' : ` (it threw: ${messageOf(cause)})`}.`,
    cause === undefined ? undefined : { cause },
  );

export const proceededTwice = (type: string): FloeError =>
  error(
    'FLOE_PROCEEDED_TWICE',
    type,
    DEV && `An interceptor decided twice about '${type}'. Call proceed or stop once for each action.`,
  );

export const asyncInAtomic = (what: string): FloeError =>
  error(
    'FLOE_ASYNC_IN_ATOMIC',
    what,
    DEV &&
      `atomic commits or rolls back as a whole before it returns, so ${what} is not possible inside it. Do the waiting first, then call atomic.`,
  );

export const impureChange = (type: string, store: string, path: string): FloeError =>
  error(
    'FLOE_IMPURE_CHANGE',
    `${type} ${store} ${path}`,
    DEV &&
      `The change of '${store}' for '${type}' gave two different results for the same state and payload (first at '${path}'). Dates, random numbers and outside variables belong into the payload, so that the history can be replayed.`,
    { path },
  );

export const notItsOwn = (store: string): FloeError =>
  error(
    'FLOE_NOT_ITS_OWN',
    store,
    DEV &&
      `'${store}'.its(...) takes an action creator or a selector that the original store declared: const ${store} = copyOf(original, '${store}'), then ${store}.its(original's own).`,
  );

export const fieldsLost = (store: string, fields: readonly string[]): FloeError =>
  error(
    'FLOE_FIELDS_LOST',
    `${store} ${fields.join(' ')}`,
    DEV &&
      `The reloaded store '${store}' no longer declares ${fields.map((field) => `'${field}'`).join(', ')}; the values are kept. Reset the store to be rid of them.`,
  );

export const badSnapshot = (why: string): FloeError =>
  error(
    'FLOE_BAD_SNAPSHOT',
    why,
    DEV && `The text is not a snapshot of a runtime: ${why}. Make one with snapshotText(runtime).`,
  );

export const runCancelled = (task: string, reason: string): FloeError =>
  error('FLOE_RUN_CANCELLED', `${task} ${reason}`, DEV && `The run of the task '${task}' was cancelled (${reason}).`);

export const needMissing = (need: string, task: string): FloeError =>
  error(
    'FLOE_NEED_MISSING',
    `${need} ${task}`,
    DEV &&
      `The task '${task}' needs '${need}', and the runtime was not given it: createRuntime({ needs: [${need}.by(...)] }).`,
  );

export const notATaskCall = (found: unknown): FloeError =>
  error(
    'FLOE_NOT_A_TASK_CALL',
    typeof found,
    DEV &&
      (typeof found === 'function'
        ? `run was given the task '${found.name}' itself. Call it: run(task(arguments)).`
        : typeof (found as { type?: unknown } | null | undefined)?.type === 'string'
          ? `run was given the action '${(found as { type: string }).type}'. Dispatch it: dispatch(action(payload)).`
          : `run needs the call of a task: run(task(arguments)) (found: ${found === null ? 'null' : typeof found}).`),
  );

export const droppedWithout = (type: string, without: string, cause: unknown): FloeError =>
  error(
    'FLOE_DROPPED',
    `${type} ${without}`,
    DEV &&
      (without === 'rehydrated'
        ? `'${type}' came while the stored state was still being read, and cannot be applied on top of it (${messageOf(cause)}). It was dropped.`
        : `'${type}' built on '${without}', which was reverted, and cannot be applied without it (${messageOf(cause)}). It was dropped.`),
    { cause },
  );

export const unknownOption = (what: string, option: string, known: Iterable<string>): FloeError =>
  error(
    'FLOE_UNKNOWN_OPTION',
    `${what} ${option}`,
    DEV && `${what} has no option '${option}'.${meant(option, known)} It takes ${listed(known)}.`,
  );

/** An option that is known, with a value that it cannot have. */
export const badOption = (what: string, option: string, why: string | false): FloeError =>
  error(
    'FLOE_BAD_OPTION',
    `${what} ${option}`,
    DEV && `${what}: the option '${option}' ${String(why).replace(/\?$/, '')}${String(why).endsWith('?') ? '?' : '.'}`,
  );

export const unknownField = (what: string, field: string, known: Iterable<string>): FloeError =>
  error(
    'FLOE_BAD_OPTION',
    `${what} ${field}`,
    DEV &&
      `${what} names the field '${field}', which the state does not begin with.${meant(field, known)} It begins with ${listed(known)}; a field that comes later begins as undefined.`,
  );

export const badOptions = (what: string, found: unknown, known: Iterable<string>): FloeError =>
  error(
    'FLOE_BAD_OPTION',
    what,
    DEV &&
      `${what} takes its options as an object with the members ${listed(known)} (found: ${Array.isArray(found) ? 'a list' : found === null ? 'null' : typeof found}).`,
  );

const listed = (names: Iterable<string>): string => Array.from(names, (name) => `'${name}'`).join(', ') || 'no options';

/**
 * @param way to the level that is too deep: the error names its beginning
 * @param limit levels
 */
export const dataTooDeep = (what: string, way: string, limit: number): FloeError => {
  const path = way.split('/').slice(0, 4).join('/');
  return error(
    'FLOE_TOO_DEEP',
    what,
    DEV &&
      `${what} is nested more than ${limit} levels deep (below ${path}). Keep what is nested without limit as a flat list or table whose rows name their parent by key.`,
    { path },
  );
};

export const chainTooDeep = (first: string, last: string): FloeError =>
  error(
    'FLOE_TOO_DEEP',
    `${first} ${last}`,
    DEV &&
      `More than 1,000 selectors ask each other in a chain: it begins with '${first}', and '${last}' is one too many. Derive the value in one selector that goes through the data in a loop.`,
  );

/** Whether structuredClone refused something. */
export const isCloneError = (error: unknown): boolean =>
  (error as { readonly name?: unknown } | null | undefined)?.name === 'DataCloneError';

/** Whether code edited something that is frozen. Each engine has words of its own. */
export const isFrozenError = (error: unknown): boolean =>
  error instanceof TypeError &&
  /read[- ]?only|not extensible|cannot delete property|part of the state/i.test(error.message);

export const notHandled = (type: string): FloeError =>
  error(
    'FLOE_NOT_HANDLED',
    type,
    DEV &&
      `'${type}' was dispatched, and no store, task or run of the runtime handles it: it changes nothing. Declare what it does with store.when(...), or list the store in createRuntime({ stores }). This is said once for each type.`,
  );

/** What something that was thrown says. It may be anything, also what cannot be turned into text. */
export function messageOf(cause: unknown): string {
  try {
    return String(cause instanceof Error ? cause.message : cause);
  } catch {
    return 'something that has no text was thrown';
  }
}
