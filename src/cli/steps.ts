// `floe steps TRACE`: what happened, one line a step.
import { open } from 'node:fs/promises';
import { StringDecoder } from 'node:string_decoder';
import colours from 'picocolors';
import { encode } from '../core/internal.js';
import { causeOf, titleOf, type Step } from '../trace/index.js';
import { phaseIn, TraceReader } from '../trace/internal.js';
import { badOption } from './errors.js';
import { readSteps, sourceOf } from './input.js';
import { Columns, counted, jsonOf, shown, type Output } from './output.js';
import { numberOf } from './options.js';

export interface StepsOptions {
  readonly store?: readonly string[];
  readonly type?: readonly string[];
  readonly from?: string;
  readonly to?: string;
  readonly follow?: boolean;
  readonly json?: boolean;
}

/** As many rows are aligned together. */
const PART = 2000;

export async function listSteps(file: string, options: StepsOptions, out: Output): Promise<void> {
  if (options.follow && file === '-') throw badOption('--follow', '-', 'the path of a file');
  const list = new List(options, out);
  if (options.follow) return follow(file, list);
  const reader = await readSteps(sourceOf(file), out, (step) => list.add(step));
  const problem = reader.end();
  list.end();
  if (problem) out.talk(colours.yellow(`\n${problem.code}: ${shown(problem.message)}`));
}

/** Lists what there is, then what comes to the end of the file, until the process is stopped. */
async function follow(file: string, list: List): Promise<void> {
  sourceOf(file);
  const reader = new TraceReader();
  const decoder = new StringDecoder('utf8');
  const handle = await open(file);
  const buffer = Buffer.alloc(64 * 1024);
  let rest = '';
  let reading = Promise.resolve();
  let failed: (error: unknown) => void = () => undefined;
  const read = async (): Promise<void> => {
    for (;;) {
      const { bytesRead } = await handle.read(buffer, 0, buffer.length, null);
      if (bytesRead === 0) break;
      const lines = (rest + decoder.write(buffer.subarray(0, bytesRead))).split('\n');
      rest = lines.pop()!;
      for (const line of lines) {
        const step = reader.line(line);
        if (step) list.add(step);
      }
    }
    list.flush();
  };
  const stopped = new Promise<void>((resolve, reject) => {
    failed = reject;
    process.once('SIGINT', resolve);
    process.once('SIGTERM', resolve);
  });
  // Asked again and again: not every file system tells of changes.
  const ask = (): void => void (reading = reading.then(read).catch(failed));
  ask();
  const asking = setInterval(ask, 200);
  try {
    await stopped;
  } finally {
    clearInterval(asking);
    await reading;
    await handle.close();
  }
}

class List {
  private rows: Step[] = [];
  private count = 0;
  private all = 0;
  private readonly columns: Columns;
  private readonly from: number;
  private readonly to: number;

  constructor(
    private readonly options: StepsOptions,
    private readonly out: Output,
  ) {
    this.from = numberOf('--from', options.from) ?? 0;
    this.to = numberOf('--to', options.to) ?? Infinity;
    const heads = ['step', 'time (UTC)', 'what happened', 'because of', 'stores touched', 'changes', 'took'];
    this.columns = new Columns(out, heads, ['right', 'left', 'left', 'left', 'left', 'right', 'right']);
  }

  add(step: Step): void {
    this.all++;
    if (!this.isWanted(step)) return;
    this.count++;
    if (this.options.json) return this.out.result(jsonOf(summaryOf(step)));
    this.rows.push(step);
    if (this.rows.length >= PART) this.flush();
  }

  private isWanted({ seq, stores, action, fact, run }: Step): boolean {
    const { store, type } = this.options;
    if (seq < this.from || seq > this.to) return false;
    if (store && !stores.some((name) => store.includes(name))) return false;
    return !type || [action?.type, run?.task, fact].some((name) => name !== undefined && type.includes(name));
  }

  flush(): void {
    if (this.options.json || (this.rows.length === 0 && this.count > 0)) return;
    this.columns.write(this.rows.map(rowOf));
    this.rows = [];
  }

  end(): void {
    this.flush();
    if (this.options.json) return;
    const all = counted(this.all, 'step');
    const listed = this.count === this.all ? all : `${this.count} of ${all}`;
    this.out.talk(colours.dim(`\n${listed}; took is the time that the stores' changes needed.`));
  }
}

/** What `--json` gives for a step, one line each. */
const summaryOf = (step: Step): object => ({
  seq: step.seq,
  time: new Date(step.time).toISOString(),
  kind: step.kind,
  name: titleOf(step),
  ...(step.title !== undefined && { title: step.title }),
  ...(step.action && 'payload' in step.action && { payload: encode(step.action.payload) }),
  cause: step.cause,
  ...(step.run && { run: { ...step.run, args: encode(step.run.args) } }),
  outcome: step.outcome,
  stores: step.stores,
  changes: step.changes.length,
  took: step.took,
  branch: step.branch,
  after: step.after,
  ...(step.reason !== undefined && { reason: step.reason }),
  ...(step.note !== undefined && { note: step.note }),
  ...(step.excluded && { excluded: true }),
  ...(step.orphan && { orphan: true }),
});

type Tone = (text: string) => string;
const tones: Partial<Record<Step['outcome'], Tone>> = {
  failed: colours.red,
  refused: colours.red,
  stopped: colours.yellow,
  waiting: colours.yellow,
  unchanged: colours.dim,
  reverted: colours.dim,
};

/** What happened, by the title that the model declares, where it does; and what is not left out where room is short. */
function titled(step: Step): readonly [title: string, rest: string] {
  const { title, run, fact } = step;
  if (title === undefined) return [titleOf(step), ''];
  if (!run) return [title, ''];
  return [title, ` #${run.id} ${phaseIn(fact, run.phase)}`];
}

/** What happened in a step, in its colour. @param most so many characters, with the outcome */
export function reportsOf(step: Step, most = Infinity): string {
  const isFact = step.kind === 'fact';
  const tone: Tone =
    step.run?.phase === 'failed' ? colours.red : isFact ? colours.cyan : (tones[step.outcome] ?? ((text) => text));
  const outcome = step.excluded ? ' (excluded)' : isFact || step.outcome === 'applied' ? '' : ` (${step.outcome})`;
  const note = step.note === undefined ? '' : colours.yellow(`  “${shown(step.note)}”`);
  const [title, rest] = titled(step);
  const room = most - rest.length - outcome.length;
  const text = title.length <= room ? title : `${title.slice(0, room - 1).trimEnd()}…`;
  return (step.excluded ? colours.dim : tone)(shown(text) + rest + outcome) + note;
}

/** Why a step came to nothing, for the table: in a few words. */
const reasonOf = ({ reason }: Step): string => {
  if (reason === undefined) return '';
  const text = shown(reason);
  return colours.dim(`: ${text.length <= MOST_REASON ? text : `${text.slice(0, MOST_REASON - 1)}…`}`);
};
const MOST_REASON = 60;
/** So much of what happened fits in a table. */
export const MOST_TITLE = 35;

export const timeOf = (step: Step): string => new Date(step.time).toISOString().slice(11, 23);

/** Few fit in a line of a terminal; `--json` has all. */
const MOST_STORES = 4;
const storesOf = ({ stores }: Step): string =>
  stores.length <= MOST_STORES
    ? stores.join(', ')
    : `${stores.slice(0, MOST_STORES - 1).join(', ')} and ${stores.length - MOST_STORES + 1} more`;

const rowOf = (step: Step): readonly string[] => [
  colours.dim(String(step.seq)),
  colours.dim(timeOf(step)),
  reportsOf(step, MOST_TITLE) + reasonOf(step),
  colours.dim(shown(causeOf(step))),
  shown(storesOf(step)) || colours.dim('none'),
  String(step.changes.length),
  colours.dim(`${step.took.toFixed(2)} ms`),
];
