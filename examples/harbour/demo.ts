// `npm run demo`: the control room with its office on the loopback address; `--headless` plays a shift without a page.
import { Command, InvalidArgumentError } from 'commander';
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import colours from 'picocolors';
import { createRuntime } from 'floe';
import { recording } from 'floe/trace';
import { startOffice, type RunningOffice } from './office/server.js';
import { office as officeNeed, stores } from './src/model/index.js';
import { httpOffice } from './src/office-client.js';
import { playShift } from './src/scripted-shift.js';

interface Options {
  readonly port: number;
  readonly headless?: true;
  readonly save: string;
  readonly seed: number;
  readonly delay: number;
  readonly fail: number;
}

const out = (line: string): void => void process.stdout.write(`${line}\n`);
const talk = (line: string): void => void process.stderr.write(`${line}\n`);
const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

const number = (wanted: string, fits: (value: number) => boolean) => (text: string) => {
  const value = Number(text);
  if (text.trim() === '' || Number.isNaN(value) || !fits(value)) throw new InvalidArgumentError(`Give ${wanted}.`);
  return value;
};

const program = new Command('npm run demo --')
  .description('Starts the harbour example with its office, and prints the address.')
  .option(
    '--port <port>',
    'the port to listen on, 0 for any free one',
    number('a port, 0 to 65535', (value) => Number.isInteger(value) && value >= 0 && value <= 65535),
    4310,
  )
  .option('--headless', 'play one shift without a page, save its trace, and tell what happened')
  .option('--save <file>', 'with --headless: where to save the trace', 'harbour-shift.jsonl')
  .option('--seed <number>', "the seed of the harbour's data", number('a whole number', Number.isSafeInteger), 7)
  .option(
    '--delay <ms>',
    'milliseconds before each response of the office',
    number('milliseconds', (value) => value >= 0),
    0,
  )
  .option(
    '--fail <share>',
    'the share of requests that fail, 0 to 1',
    number('a share from 0 to 1', (value) => value >= 0 && value <= 1),
    0,
  )
  .exitOverride((error) => process.exit(error.exitCode === 0 ? 0 : 2))
  .action(async (options: Options) => {
    try {
      process.exitCode = options.headless ? await playHeadless(options) : await serveControlRoom(options);
    } catch (error) {
      talk(messageOf(error));
      process.exitCode = 2;
    }
  });

/** Serves the page until a signal comes. Gives the exit code. */
async function serveControlRoom({ port, seed, delay, fail }: Options): Promise<number> {
  const page = fileURLToPath(new URL('page', import.meta.url));
  const office = await startOffice({ port, seed, delay, fail, page }).catch((cause: unknown) => {
    throw (cause as NodeJS.ErrnoException).code === 'EADDRINUSE'
      ? new Error(`Port ${port} is taken by another program. Choose another with --port, or 0 for any free one.`)
      : cause;
  });
  talk(colours.dim('The harbour office and its control room are running. Stop them with Ctrl+C.'));
  out(office.address);
  await new Promise<void>((resolve) => {
    process.once('SIGINT', resolve);
    process.once('SIGTERM', resolve);
  });
  await office.close();
  return 0;
}

/** Plays a shift. Gives the exit code: 1 where the shift could not be played to its end. */
async function playHeadless({ save, seed, delay, fail }: Options): Promise<number> {
  const office: RunningOffice = await startOffice({ port: 0, seed, delay, fail });
  try {
    const runtime = createRuntime({
      stores,
      needs: [officeNeed.by(httpOffice(office.address))],
      trace: recording(),
    });
    const { trace } = runtime;
    let reported = 0;
    out(colours.bold('Skerrow Harbour: one shift, played without a page'));
    out(colours.dim('\nsteps   what happened'));
    const tell = (line: string): void => {
      const last = trace.steps.length - 1;
      const steps = last < reported ? '' : last === reported ? String(last) : `${reported}–${last}`;
      reported = last + 1;
      out(`${colours.cyan(steps.padEnd(6))}  ${line}`);
    };
    let failed = false;
    try {
      await playShift(runtime, tell);
    } catch (error) {
      // The trace of a shift that broke off is the one to look at.
      failed = true;
      tell(colours.red(`The shift breaks off: ${messageOf(error)}.`));
    }
    try {
      writeFileSync(save, trace.export());
    } catch (cause) {
      throw new Error(`The trace cannot be written to '${save}': ${messageOf(cause)}.`, { cause });
    }
    out(`\n${trace.steps.length} steps were recorded and saved in ${colours.bold(save)}.`);
    talk(colours.dim(`List them with: npx floe steps ${save}`));
    await runtime.close();
    return failed ? 1 : 0;
  } finally {
    await office.close();
  }
}

await program.parseAsync();
