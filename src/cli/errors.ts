// The catalogue of the command line's errors; `docs/reference/errors.md` explains each.
import { FloeError, messageOf } from '../core/internal.js';

export const fileUnreadable = (file: string, cause: unknown): FloeError => {
  const { code } = cause as NodeJS.ErrnoException;
  const why =
    code === 'ENOENT'
      ? 'there is no such file'
      : code === 'EISDIR'
        ? 'it is a folder'
        : code === 'EACCES'
          ? 'reading it is not permitted'
          : messageOf(cause);
  return new FloeError(
    'FLOE_FILE_UNREADABLE',
    `'${file}' cannot be read: ${why}. Give the path of a file, or - for standard input.`,
    { cause },
  );
};

export const fileUnwritable = (file: string, cause: unknown, option = '--save'): FloeError =>
  new FloeError(
    'FLOE_FILE_UNWRITABLE',
    `'${file}' cannot be written: ${messageOf(cause)}. Choose another place with ${option}.`,
    { cause },
  );

export const folderInUse = (folder: string): FloeError =>
  new FloeError(
    'FLOE_FOLDER_IN_USE',
    `'${folder}' is there, and not empty. Nothing was written; give the name of a new folder.`,
  );

export const fileInUse = (file: string): FloeError =>
  new FloeError('FLOE_FILE_IN_USE', `'${file}' is there already. Nothing was written; give another name.`);

export const noProject = (folder: string): FloeError =>
  new FloeError(
    'FLOE_NO_PROJECT',
    `There is no package.json in '${folder}' or above it, so there is no project to add a store to. Go into one, or begin one with floe new NAME --with react.`,
  );

export const newNeeds = (kinds: readonly string[]): FloeError =>
  new FloeError(
    'FLOE_BAD_OPTION',
    `floe new takes the name of a folder, and --with what it shows its pages with: ${kinds.join(', ')}. For example: floe new harbour --with ${kinds[0]}. In a project that is there, floe new --store berths adds a store.`,
  );

export const portTaken = (port: number): FloeError =>
  new FloeError(
    'FLOE_PORT_TAKEN',
    `Port ${port} is taken by another program. Choose another with --port, or --port 0 for any free one.`,
  );

export const hostUnusable = (host: string): FloeError =>
  new FloeError(
    'FLOE_HOST_UNUSABLE',
    `This machine has no address ${host} to listen on. Give --host one of its own addresses, or 0.0.0.0 for all of them.`,
  );

export const inspectorMissing = (): FloeError =>
  new FloeError(
    'FLOE_INSPECTOR_MISSING',
    'The page of the inspector is not built. In a clone of the repository run: npm run build',
  );

export const badOption = (option: string, found: string, wanted: string): FloeError =>
  new FloeError('FLOE_BAD_OPTION', `${option} takes ${wanted} (found: '${found}').`);

export const lineTooLong = (file: string, line: number, most: number): FloeError =>
  new FloeError(
    'FLOE_NOT_A_TRACE',
    `'${file}' is not a trace file: line ${line} is longer than ${most / 1024 / 1024} MB. A trace file has one step a line.`,
  );

export const noValue = (pointer: string, step: number): FloeError =>
  new FloeError(
    'FLOE_NO_VALUE',
    `Nothing is at '${pointer}' after step ${step}. A pointer begins with a store: /visits/day; 'floe state' without --path shows all.`,
  );

export const modelUnusable = (file: string, why: string, cause?: unknown): FloeError =>
  new FloeError(
    'FLOE_MODEL_UNUSABLE',
    `The model '${file}' cannot be used: ${why}. Give a module of JavaScript or TypeScript that exports its stores: export const stores = [visits];`,
    { cause },
  );

export const modelEnded = (file: string, why: string, cause?: unknown): FloeError =>
  new FloeError(
    'FLOE_MODEL_ENDED',
    `The model '${file}' cannot be used: ${why}. A module of stores only declares them; begin work where the application starts.`,
    { cause },
  );

export const noModel = (folder: string): FloeError =>
  new FloeError(
    'FLOE_NO_MODEL',
    `No model is in '${folder}': there is no src/model/index.ts or src/model.ts (or .js, .mjs, .tsx, .jsx), and package.json names none. Give it with --model FILE, or say in package.json where it is: "floe": { "model": "src/stores.ts" }.`,
  );

export const givenNeedsFile = (length: number): FloeError =>
  new FloeError(
    'FLOE_BAD_OPTION',
    `The state before these steps has ${length} characters: too many to be read in a test. Give a file with --out, and it gets one of its own beside it.`,
  );

export const notStored = (place: string, why: string): FloeError =>
  new FloeError(
    'FLOE_NOT_STORED',
    `Nothing that Floe keeps was found in '${place}': ${why}. Give a folder of fileStorage, or a JSON file of keys and texts: what persistence.texts() gives.`,
  );

export const noExamples = (model: string): FloeError =>
  new FloeError(
    'FLOE_NO_EXAMPLES',
    `There are no actions to try: '${model}' exports no list 'examples'. Export one beside the stores: export const examples = [visitPlanned(visit), visitCancelled('v7')]; or give a trace with --trace, whose actions are tried.`,
  );

export const badExample = (model: string, index: number): FloeError =>
  new FloeError(
    'FLOE_NO_EXAMPLES',
    `Item ${index} of the list 'examples' of '${model}' is no action. Call the action creator: visitCancelled('v7'); or give a function that returns a list of actions: (read) => [...].`,
  );

/** @param rules those that the model has */
export const badFailure = (why: string, rules?: readonly string[]): FloeError =>
  new FloeError(
    'FLOE_BAD_OPTION',
    `Say how the recording fails, in one way: ${why}. Write --fails 'RULE', --error CODE, --value POINTER=JSON or --differs.${
      rules ? ` The rules of the model: ${rules.map((rule) => `'${rule}'`).join(', ') || 'none'}.` : ''
    }`,
  );

export const badValue = (given: string): FloeError =>
  new FloeError(
    'FLOE_BAD_OPTION',
    `--value takes a JSON Pointer, '=' and JSON, and not '${given}': --value '/visits/filter="all"'.`,
  );

export const noTables = (model: string, found: readonly string[], asked: string | undefined): FloeError =>
  new FloeError(
    'FLOE_MODEL_UNUSABLE',
    asked === undefined
      ? found.length === 0
        ? `'${model}' has no store of tables. Declare one, and put it into the list 'stores': const port = tables('port', [visit, vessel]);`
        : `'${model}' has several stores of tables: ${found.join(', ')}. Say which with --store.`
      : `'${model}' has no store of tables '${asked}'. ${found.length === 0 ? 'It has none.' : `There is ${found.join(', ')}.`}`,
  );

export const notJson = (file: string, cause: unknown): FloeError =>
  new FloeError('FLOE_FILE_UNREADABLE', `'${file}' is not JSON: ${messageOf(cause)}.`, { cause });

export const nothingThere = (file: string, pointer: string): FloeError =>
  new FloeError(
    'FLOE_NO_VALUE',
    `Nothing is at '${pointer}' in '${file}'. Say with --path where the records stand, as a JSON Pointer: /data/visits.`,
  );
