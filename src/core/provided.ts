// The runtime that a component gets: the provided one, or the page's default one where no provider stands above.
import { FloeError } from './base/errors.js';
import { DEV } from './base/mode.js';
import { hostOf } from './kernel/attachment.js';
import type { FrameworkAdapter } from './kernel/adapter.js';
import { reportOnce } from './kernel/reported.js';
import { defaultRuntime, openRuntimes, type Runtime } from './runtime.js';

/** FrameworkAdapter a runtime what a framework does for it, once. */
export function withAdapter(runtime: Runtime, adapters: FrameworkAdapter): Runtime {
  const known = hostOf(runtime).notifications.adapters;
  if (!known.includes(adapters)) known.push(adapters);
  return runtime;
}

/**
 * The page's default runtime, for a component that stands below no provider. Development says so where the page has another
 * one, which was perhaps meant.
 * @throws FLOE_NO_RUNTIME on a server
 */
export function unprovidedRuntime(): Runtime {
  const runtime = defaultRuntime();
  if (DEV && openRuntimes().length > 1) reportOnce(hostOf(runtime), noProvider());
  return runtime;
}

const noProvider = (): FloeError =>
  new FloeError(
    'FLOE_NO_PROVIDER',
    'A component stands below no provider: it uses the default runtime of the page, though the page has another one, whose state it does not see. Put the component below the provider of that runtime.',
  );

/** @param call what was called, for the message */
export const outsideSetup = (call: string, where: string): FloeError =>
  new FloeError(
    'FLOE_OUTSIDE_COMPONENT',
    DEV
      ? `${call} was called where no component is set up, so that there is no provider to ask for its runtime. Call it ${where}, and keep what it returns for later.`
      : call,
  );

/** @param call what was called, for the message */
export function reportNoScope(runtime: Runtime, call: string): void {
  if (!DEV) return;
  const error = new FloeError(
    'FLOE_NO_SCOPE',
    `${call} was called outside of every effect scope: nothing would end it, so its value is read and not followed. Call it in setup, or inside of effectScope().run(...).`,
  );
  reportOnce(hostOf(runtime), error);
}
