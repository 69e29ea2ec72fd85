// Declares the commands. One file a command does the work.
import { Command, CommanderError } from 'commander';
import { readFileSync } from 'node:fs';
import colours from 'picocolors';
import { FloeError, messageOf } from '../core/errors.js';
import { runDemo, type DemoOptions } from './demo.js';
import type { Output } from './output.js';
import { listSteps, type StepsOptions } from './steps.js';

const version = (): string =>
  (JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')) as { version: string }).version;

function declare(out: Output): Command {
  const program = new Command('floe')
    .description('Looks into traces of application state, and shows what Floe does.')
    .version(version(), '-v, --version')
    .exitOverride()
    .showHelpAfterError('(floe --help lists the commands)')
    .configureOutput({ writeOut: (text) => out.result(text.trimEnd()), writeErr: (text) => out.talk(text.trimEnd()) });
  program
    .command('demo')
    .description('start the harbour example with its office, and print the address')
    .option('--port <port>', 'the port to listen on, 0 for any free one', '4310')
    .option('--headless', 'play one shift without a page, save its trace, and tell what happened')
    .option('--save <file>', 'with --headless: where to save the trace', 'harbour-shift.jsonl')
    .option('--seed <number>', "the seed of the harbour's data", '7')
    .option('--delay <ms>', 'milliseconds before each answer of the office', '0')
    .option('--fail <share>', 'the share of requests that fail, 0 to 1', '0')
    .action((options: DemoOptions) => runDemo(options, out));
  program
    .command('steps')
    .description('list the steps of a trace: when, what, which stores, how many changes, how long')
    .argument('<trace>', 'a trace file, or - for standard input')
    .option('--json', 'one JSON value a line')
    .action((file: string, options: StepsOptions) => listSteps(file, options, out));
  return program;
}

/** Runs the command line. Gives the exit code: 0 fine, 1 the answer is no, 2 could not run. */
export async function main(args: readonly string[], out: Output): Promise<0 | 1 | 2> {
  try {
    await declare(out).parseAsync([...args], { from: 'user' });
    return 0;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    const code = error instanceof FloeError ? error.code : 'FLOE_UNEXPECTED';
    out.talk(`${colours.red(code)}: ${messageOf(error)}`);
    return 2;
  }
}
