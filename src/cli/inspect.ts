// `floe inspect [TRACE]`: serves the inspector as a page, on a recording, with `--model` also what needs the model; and on
// applications that link themselves.
import { basename } from 'node:path';
import colours from 'picocolors';
import { messageOf, SOURCE, STILL } from '../core/internal.js';
import { createRuntime, type Runtime, type Source as Derivable } from '../core/index.js';
import { linkRecording, linkRuntime, RecordedHistory, channelPair, type Channel } from '../inspector/ends/index.js';
import { recording } from '../trace/index.js';
import { badOption } from './errors.js';
import { readTraceFile, sourceOf, type Source } from './input.js';
import { isLoopback, serveInspector } from './inspector-server.js';
import { LinkedApplications } from './linked-applications.js';
import { modelIn } from './model.js';
import type { Output } from './output.js';

export interface InspectOptions {
  readonly model?: string;
  readonly port: string;
  readonly host: string;
  readonly token?: string;
}

/** Lines of a file that are read before the page has its turn. */
const BATCH = 500;
/** Characters of a token: shorter ones can be found out by trying. */
const SHORTEST_TOKEN = 16;

export async function inspect(file: string | undefined, options: InspectOptions, out: Output): Promise<void> {
  const { host, token } = options;
  const port = Number(options.port);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw badOption('--port', options.port, 'a port, 0 to 65535');
  if (token !== undefined && !TOKEN.test(token))
    throw badOption('--token', token, `at least ${SHORTEST_TOKEN} letters, digits, - and _`);
  const linked = new LinkedApplications();
  const end = file === undefined ? undefined : await opened(file, options, linked, out);
  const server = await serveInspector(linked, {
    ...{ port, host, page: new URL('../inspector/page/', import.meta.url) },
    ...(token !== undefined && { token }),
  });
  const { address, others } = server;
  for (const line of advice(address, others, file, host)) out.talk(colours.dim(line));
  out.result(address);
  await new Promise<void>((resolve) => {
    process.once('SIGINT', resolve);
    process.once('SIGTERM', resolve);
  });
  end?.();
  await server.close();
}

const TOKEN = new RegExp(`^[\\w-]{${SHORTEST_TOKEN},}$`);

/** What to do with the address, and who else can. */
function* advice(address: string, others: readonly string[], file: string | undefined, host: string): Iterable<string> {
  yield !isLoopback(host)
    ? `The inspector is served to the network, at ${host}: whoever has an address with its key can read the sessions and send actions, and what is sent is not encrypted. Stop with Ctrl+C.`
    : 'The inspector is served on this machine only. Open the address, whose end is a key; stop with Ctrl+C.';
  for (const one of others) yield `Also: ${one}`;
  if (file === undefined)
    yield `An application is shown there with linkInspector(runtime, { url: '${address}' }), from floe/inspector/link.`;
}

/** The file that the command was given, as a session. */
async function opened(
  file: string,
  { model }: InspectOptions,
  linked: LinkedApplications,
  out: Output,
): Promise<() => void> {
  const [ours, theirs] = channelPair();
  const name = file === '-' ? 'standard input' : basename(file);
  const end =
    model === undefined ? recorded(file, name, theirs, out) : await withModel({ file, model, name }, theirs, out);
  linked.own(name, ours);
  return end;
}

/** A recording alone. It is read while the page is already served. */
function recorded(file: string, name: string, channel: Channel, out: Output): () => void {
  const history = new RecordedHistory();
  const source = sourceOf(file);
  const end = linkRecording(history, channel, { name });
  void read(history, source, out);
  return end;
}

async function read(history: RecordedHistory, source: Source, out: Output): Promise<void> {
  let batch: string[] = [];
  let count = 0;
  history.begin();
  try {
    for await (const line of source.lines()) {
      batch.push(line);
      count++;
      if (batch.length < BATCH) continue;
      await history.lines(batch);
      batch = [];
      if (count % 20_000 === 0) out.progress(`${count} lines read`);
      // Requests of the page are answered in between.
      await new Promise((resolve) => setImmediate(resolve));
    }
    await history.lines(batch);
    history.finish();
  } catch (error) {
    history.fail(error);
  }
  if (history.problem) out.talk(colours.yellow(`${history.problem.code}: ${history.problem.message}`));
}

/** A recording in a runtime of its model: steps can be left out, actions sent, and selectors are derived. Nothing starts by itself. */
async function withModel(
  { file, model, name }: { readonly file: string; readonly model: string; readonly name: string },
  channel: Channel,
  out: Output,
): Promise<() => void> {
  const { stores, exported } = await modelIn(model, out);
  const trace = await readTraceFile(file, out);
  const runtime = createRuntime({
    stores,
    trace: recording({ limit: Infinity }),
    [STILL]: 'as recorded',
    onProblem: ({ error }) => out.talk(colours.yellow(messageOf(error))),
  });
  // Before the file: what joins with them is no step of it.
  deriveAll(runtime, exported);
  const { problem } = runtime.trace.import(trace);
  if (problem) out.talk(colours.yellow(`${problem.code}: ${problem.message}`));
  const end = linkRuntime(runtime, channel, { name, kind: 'file' });
  return () => {
    end();
    void runtime.close();
  };
}

/** Watches the selectors that a model exports, as components would. */
function deriveAll(runtime: Runtime, exported: readonly unknown[]): void {
  for (const one of exported) {
    if (typeof one !== 'object' && typeof one !== 'function') continue;
    const recipe = one === null ? undefined : (one as Partial<Derivable<unknown>>)[SOURCE];
    if (recipe) runtime.watch(one as Derivable<unknown>, () => undefined, { onError: () => undefined });
  }
}
