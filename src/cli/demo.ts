// `floe demo`: the harbour example with its office; `--headless` plays a shift without a page.
import { existsSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import colours from 'picocolors';
import { messageOf } from '../core/internal.js';
import { createRuntime, type AnyStore, type Need, type Runtime } from '../core/index.js';
import { recording } from '../trace/index.js';
import { badOption, demoMissing, fileUnwritable, portTaken } from './errors.js';
import type { Output } from './output.js';

export interface DemoOptions {
  readonly port: string;
  readonly headless?: boolean;
  readonly save: string;
  readonly seed: string;
  readonly delay: string;
  readonly fail: string;
}

// The example is built into the package beside the command line; it is not part of the library's source.
interface RunningOffice {
  readonly address: string;
  close(): Promise<void>;
}
interface OfficeModule {
  startOffice(options: {
    port: number;
    seed: number;
    delay: number;
    fail: number;
    page?: string;
  }): Promise<RunningOffice>;
}
interface ShiftModules {
  readonly model: { readonly stores: readonly AnyStore[]; readonly office: Need<unknown> };
  readonly client: { httpOffice(address: string): unknown };
  readonly shift: { playShift(runtime: Runtime, tell: (line: string) => void): Promise<void> };
}

const place = (path: string): URL => new URL(`../demo/${path}`, import.meta.url);

async function load<T>(path: string): Promise<T> {
  if (!existsSync(place(path))) throw demoMissing(undefined);
  return (await import(place(path).href)) as T;
}

/** Gives the exit code: 1 where the shift could not be played to its end. */
export async function runDemo(options: DemoOptions, out: Output): Promise<0 | 1> {
  const { startOffice } = await load<OfficeModule>('office/server.js');
  const settings = {
    seed: number('--seed', options.seed, 'a whole number', Number.isSafeInteger),
    delay: number('--delay', options.delay, 'milliseconds', (value) => value >= 0),
    fail: number('--fail', options.fail, 'a share from 0 to 1', (value) => value >= 0 && value <= 1),
  };
  if (options.headless) return playHeadless(await startOffice({ ...settings, port: 0 }), options.save, out);
  const port = number(
    '--port',
    options.port,
    'a port, 0 to 65535',
    (value) => Number.isInteger(value) && value >= 0 && value <= 65535,
  );
  const page = place('page');
  if (!existsSync(page)) throw demoMissing(undefined);
  const office = await startOffice({ ...settings, port, page: fileURLToPath(page) }).catch((cause: unknown) => {
    throw (cause as NodeJS.ErrnoException).code === 'EADDRINUSE' ? portTaken(port) : cause;
  });
  out.talk(colours.dim('The harbour office and its control room are running. Stop them with Ctrl+C.'));
  out.result(office.address);
  await new Promise<void>((resolve) => {
    process.once('SIGINT', resolve);
    process.once('SIGTERM', resolve);
  });
  await office.close();
  return 0;
}

function number(option: string, text: string, wanted: string, fits: (value: number) => boolean): number {
  const value = Number(text);
  if (text.trim() === '' || Number.isNaN(value) || !fits(value)) throw badOption(option, text, wanted);
  return value;
}

async function playHeadless(office: RunningOffice, file: string, out: Output): Promise<0 | 1> {
  try {
    const [model, client, shift] = await Promise.all([
      load<ShiftModules['model']>('src/model/index.js'),
      load<ShiftModules['client']>('src/office-client.js'),
      load<ShiftModules['shift']>('src/scripted-shift.js'),
    ]);
    const runtime = createRuntime({
      stores: model.stores,
      needs: [model.office.by(client.httpOffice(office.address))],
      trace: recording(),
    });
    const { trace } = runtime;
    let told = 0;
    out.result(colours.bold('Skerrow Harbour: one shift, played without a page'));
    out.result(colours.dim('\nsteps   what happened'));
    const tell = (line: string): void => {
      const last = trace.steps.length - 1;
      const steps = last < told ? '' : last === told ? String(last) : `${told}–${last}`;
      told = last + 1;
      out.result(`${colours.cyan(steps.padEnd(6))}  ${line}`);
    };
    let failed = false;
    try {
      await shift.playShift(runtime, tell);
    } catch (error) {
      // The trace of a shift that broke off is the one to look at.
      failed = true;
      tell(colours.red(`The shift breaks off: ${messageOf(error)}.`));
    }
    try {
      writeFileSync(file, trace.export());
    } catch (cause) {
      throw fileUnwritable(file, cause);
    }
    out.result(`\n${trace.steps.length} steps were recorded and saved in ${colours.bold(file)}.`);
    out.talk(colours.dim(`List them with: floe steps ${file}`));
    void runtime.close();
    return failed ? 1 : 0;
  } finally {
    await office.close();
  }
}
