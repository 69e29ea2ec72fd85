// Declares the commands. One file a command does the work, and is loaded when the command is given: loading all of them
// would slow the start of each.
import { Command, CommanderError, Option } from 'commander';
import colours from 'picocolors';
import { FloeError, messageOf } from '../core/internal.js';
import { newNeeds } from './errors.js';
import type { ExploreCommandOptions } from './explore.js';
import type { GraphOptions } from './graph.js';
import type { InspectOptions } from './inspect.js';
import type { ChangesOptions, LookOptions } from './look.js';
import type { NewOptions } from './new.js';
import type { NormalizeOptions } from './normalize.js';
import { KINDS } from './options.js';
import { shown, type Output } from './output.js';
import { packageVersion } from './own-package.js';
import type { ReplayCommandOptions } from './replay.js';
import type { SmallestCommandOptions } from './smallest.js';
import type { StepsOptions } from './steps.js';
import type { StoredOptions } from './stored.js';
import type { WriteTestCommandOptions } from './write-test.js';

/** What `--model` takes. */
const MODEL = "a module with the application's stores, in JavaScript or TypeScript; the project's own without it";

/** Longer than others: one command after another, each as its help says it. */
function declare(out: Output, exit: { code: 0 | 1 }): Command {
  const program = new Command('floe')
    .description('Begins an application that uses Floe, and looks into its model, its traces and what it keeps.')
    .version(packageVersion(), '-v, --version')
    .exitOverride()
    .showHelpAfterError('(floe --help lists the commands)')
    .configureOutput({ writeOut: (text) => out.result(text.trimEnd()), writeErr: (text) => out.talk(text.trimEnd()) });
  program
    .commandsGroup('To begin:')
    .command('new')
    .description('write a small application with Floe, Vite and tests into a new folder; or add a store to a project')
    .argument('[name]', 'the folder; its name becomes the name of the application')
    .addOption(new Option('--with <framework>', 'what it shows its pages with').choices(KINDS))
    .option('--store <name>', 'add a module with a store of this name, and its test, to the project around')
    .option('--json', 'one JSON value: the folder and its files')
    .action(async (name: string | undefined, options: Partial<NewOptions> & { readonly store?: string }) => {
      const { store, with: kind, ...rest } = options;
      if (store !== undefined) return (await import('./new-store.js')).newStore(store, rest, out);
      if (name === undefined || kind === undefined) throw newNeeds(KINDS);
      (await import('./new.js')).newApplication(name, { with: kind, ...rest }, out);
    });
  program
    .commandsGroup('On a trace:')
    .command('steps')
    .description('list the steps of a trace: when, what, which stores, how many changes, how long')
    .argument('<trace>', 'a trace file, or - for standard input')
    .option('--store <names...>', 'only steps that touched one of these stores')
    .option('--type <types...>', 'only actions of these types, runs of these tasks, or these facts')
    .option('--from <step>', 'from this step on')
    .option('--to <step>', 'up to this step')
    .option('--follow', 'go on with what comes to the end of the file')
    .option('--json', 'one JSON value a line')
    .action(async (file: string, options: StepsOptions) => (await import('./steps.js')).listSteps(file, options, out));
  program
    .command('state')
    .description('show the state after a step, or a part of it')
    .argument('<trace>', 'a trace file, or - for standard input')
    .option('--step <step>', 'after which step; the last one without it')
    .option('--path <pointer>', 'which part, as a JSON Pointer: /visits/day')
    .option('--json', 'on one line')
    .action(async (file: string, options: LookOptions) => (await import('./look.js')).showState(file, options, out));
  program
    .command('changes')
    .description('show what the state after one step has become after another')
    .argument('<trace>', 'a trace file, or - for standard input')
    .requiredOption('--from <step>', 'the number of a step')
    .requiredOption('--to <step>', 'the number of another one; an earlier one shows the way back')
    .option('--json', 'as a JSON Patch on one line')
    .action(async (file: string, options: ChangesOptions) =>
      (await import('./look.js')).showChanges(file, options, out),
    );
  program
    .command('step')
    .description('show one step whole: payload, cause, reason, and each place with its value before and after')
    .argument('<trace>', 'a trace file, or - for standard input')
    .argument('<step>', 'the number of the step')
    .option('--json', 'the step as it stands in the file, and its chain of causes')
    .action(async (file: string, step: string, options: { json?: boolean }) =>
      (await import('./step.js')).showStep(file, step, options, out),
    );
  program
    .command('history')
    .description('list the steps that changed a value, with the value before and after')
    .argument('<trace>', 'a trace file, or - for standard input')
    .requiredOption('--path <pointer>', 'which value, as a JSON Pointer: /port/visit/v7/phase')
    .option('--step <step>', 'up to which step; the last one without it')
    .option('--json', 'one JSON value a line')
    .action(async (file: string, options: LookOptions & { readonly path: string }) =>
      (await import('./look.js')).showHistory(file, options, out),
    );
  program
    .command('compare')
    .description('find where two traces part; exit code 1 where they do')
    .argument('<a>', 'a trace file')
    .argument('<b>', 'another one')
    .option('--json', 'one JSON value')
    .action(
      async (a: string, b: string, options: { json?: boolean }) =>
        void (exit.code = await (await import('./compare.js')).compare(a, b, options, out)),
    );
  program
    .command('replay')
    .description("run a trace against today's code, and show the first difference; exit code 1 where there is one")
    .argument('<trace>', 'a trace file, or - for standard input')
    .option('--model <file>', MODEL)
    .option('--branch <number>', 'which branch; the one that the file shows without it')
    .option('--refuse', "actions that break a rule are refused, as with invariants: 'refuse'")
    .option('--json', 'one JSON value')
    .action(
      async (file: string, options: ReplayCommandOptions) =>
        void (exit.code = await (await import('./replay.js')).replay(file, options, out)),
    );
  program
    .command('write-test')
    .description('write a Jest test out of recorded steps')
    .argument('<trace>', 'a trace file, or - for standard input')
    .requiredOption(
      '--model <module>',
      'where the test imports the list stores from, and the command where it is there: ../src/model/index.js',
    )
    .option('--from <step>', 'the first step that happens in the test; the first action without it')
    .option('--to <step>', 'the last one; the last step without it')
    .option('--branch <number>', 'which branch; the one that the file shows without it')
    .option('--title <text>', 'what the test is called')
    .option('--out <file>', 'where to write it; standard output without it')
    .action(async (file: string, options: WriteTestCommandOptions) =>
      (await import('./write-test.js')).writeTestFile(file, options, out),
    );
  program
    .command('smallest')
    .description('leave out of a recording all that its failure does not need: steps, runs, and parts of payloads')
    .argument('<trace>', 'a trace file, or - for standard input')
    .option('--model <file>', MODEL)
    .option('--fails <rule>', "a rule does not hold: 'port.no two visits alongside one berth'")
    .option('--error <code>', 'a change throws an error with this code, or of this class')
    .option('--value <pointer=json>', 'this value stands at a place: /visits/day=\'"2031-03-02"\'')
    .option('--differs', "today's code does something else than was recorded")
    .option('--branch <number>', 'which branch; the one that the file shows without it')
    .option('--save <file>', 'save what is left as a trace')
    .option('--test <file>', 'write a Jest test of it, which fails until that is mended')
    .option('--json', 'one JSON value')
    .addHelpText(
      'after',
      "\nExample:\n  floe smallest report.jsonl --fails 'port.no two visits alongside one berth' --save small.jsonl",
    )
    .action(async (file: string, options: SmallestCommandOptions) =>
      (await import('./smallest.js')).smallestTrace(file, options, out),
    );
  program
    .command('inspect')
    .description('serve the inspector as a page on a trace, or on running applications, and print its address')
    .argument(
      '[trace]',
      'a trace file, or - for standard input; without one, applications link themselves, and files can be dropped',
    )
    .option(
      '--model <file>',
      'also leave steps out, send actions, show derived values: a module that exports the stores',
    )
    .option('--port <port>', 'the port to listen on, 0 for any free one', '0')
    .option(
      '--host <address>',
      'the address to listen on: another one lets the network in that has the key',
      '127.0.0.1',
    )
    .addOption(
      new Option('--token <text>', 'the key to open it with, so that it stays the same; a new one without it').env(
        'INSPECTOR_TOKEN',
      ),
    )
    .action(async (file: string | undefined, options: InspectOptions) =>
      (await import('./inspect.js')).inspect(file, options, out),
    );
  program
    .commandsGroup('On a model:')
    .command('graph')
    .description('show what a model declares: who handles which action, what reads what, which tasks begin when')
    .option('--model <file>', MODEL)
    .option('--dot', 'in the DOT language of Graphviz, for a picture: floe graph --model FILE --dot | dot -Tsvg')
    .option('--json', 'one JSON value')
    .action(async (options: GraphOptions) => (await import('./graph.js')).showGraph(options, out));
  program
    .command('explore')
    .description(
      'try actions, tasks and the responses of what they need in every order, and show the shortest way to a fault; exit code 1 where there is one',
    )
    .option(
      '--model <file>',
      `${MODEL}; it also exports the list examples (actions and calls of tasks to try), and, where tasks run, needs (office.outcomes({...})) and atRest (rules)`,
    )
    .option('--trace <file>', 'also try each action that was recorded there')
    .option('--steps <count>', 'at most so many steps one after the other; 6 without it, 12 where tasks run')
    .option('--states <count>', 'at most so many different states; 10,000 without it')
    .option('--seconds <count>', 'at most so long; no limit without it')
    .option('--first', 'end with the first fault')
    .option('--cancels', 'also cancel each run that is under way')
    .option('--save <file>', 'save the first fault as a trace, for floe inspect and floe write-test')
    .option('--json', 'one JSON value')
    .action(
      async (options: ExploreCommandOptions) =>
        void (exit.code = await (await import('./explore.js')).exploreModel(options, out)),
    );
  program
    .command('normalize')
    .description(
      'show what becomes of a nested response in the tables of a model; exit code 1 where records are left out',
    )
    .argument('<file>', 'a file with JSON, or - for standard input')
    .option('--model <file>', MODEL)
    .requiredOption('--type <name>', 'the entity type of the records in the file')
    .option('--path <pointer>', 'where in the file they stand, as a JSON Pointer: /data/visits')
    .option('--store <name>', 'which store of tables, where there are several')
    .option('--skip', 'list the records that cannot be taken in, and take in the others')
    .option('--json', 'one JSON value: the keys and rows of each type')
    .action(
      async (file: string, options: NormalizeOptions) =>
        void (exit.code = await (await import('./normalize.js')).normalize(file, options, out)),
    );
  program
    .commandsGroup('On what is kept:')
    .command('stored')
    .description('show what is kept between sessions, and whether it can be used; exit code 1 where it cannot')
    .argument('<place>', 'a folder, or a file of keys and texts that was saved from a browser')
    .option('--store <name>', 'the state of one store, and what was set aside of it')
    .option('--model <file>', 'also try its upgrades and checks: a module that exports the stores')
    .option(
      '--prefix <text>',
      "what goes before each key in a file: 'harbour:'; found by itself where all have the same",
    )
    .option('--mend', 'set aside what is damaged, and keep the changes before it; a copy of what was there is kept')
    .option('--dry-run', 'with --mend: say what would be done, and write nothing')
    .option('--json', 'one JSON value a line')
    .action(
      async (place: string, options: StoredOptions) =>
        void (exit.code = await (await import('./stored.js')).showStored(place, options, out)),
    );
  return program;
}

/** Runs the command line. Gives the exit code: 0 fine, 1 the answer is no, 2 could not run. */
export async function main(args: readonly string[], out: Output): Promise<0 | 1 | 2> {
  try {
    const exit: { code: 0 | 1 } = { code: 0 };
    await declare(out, exit).parseAsync([...args], { from: 'user' });
    return exit.code;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    if (error instanceof RangeError && error.message.includes('call stack')) {
      out.talk(`${colours.red('FLOE_TRACE_DAMAGED')}: What the file holds is nested too deeply to be data of a store.`);
      return 2;
    }
    const code = error instanceof FloeError ? error.code : 'FLOE_UNEXPECTED';
    out.talk(`${colours.red(code)}: ${messageOf(error).split('\n').map(shown).join('\n')}`);
    return 2;
  }
}
