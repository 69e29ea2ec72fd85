// `floe step TRACE N`: one step whole.
import colours from 'picocolors';
import { encode, lookUp, parsePointer } from '../core/internal.js';
import { noSuchStep, patched, stepLine } from '../trace/internal.js';
import { causeOf, titleOf, type Step } from '../trace/index.js';
import { sourceOf } from './input.js';
import { lineTo } from './line.js';
import { numberOf } from './options.js';
import { Columns, counted, inShort, jsonOf, shown, type Output } from './output.js';
import { timeOf, reportsOf } from './steps.js';

/** So many changes are shown; `--json` has all. */
const MOST_CHANGES = 40;
/** So many lines of a payload are shown. */
const MOST_LINES = 20;

export async function showStep(
  file: string,
  number: string,
  { json }: { readonly json?: boolean },
  out: Output,
): Promise<void> {
  const seq = numberOf('STEP', number)!;
  const line = await lineTo(sourceOf(file), seq, out);
  const known = new Map<number, Step>();
  const started = new Map<number, Step>();
  let [before, after] = [line.states, line.states];
  await line.walk((step) => {
    known.set(step.seq, step);
    if (step.fact === 'runStarted' && step.run) started.set(step.run.id, step);
    before = after;
    after = patched(after, [step]);
  });
  const step = known.get(seq);
  if (!step) throw noSuchStep(seq, Math.min(...known.keys()), line.last);
  const causes = chainOf(step, known, started);
  if (json) {
    const chain = causes.map((cause) => ({ seq: cause.seq, name: titleOf(cause), cause: cause.cause }));
    out.result(jsonOf({ ...(JSON.parse(stepLine(step)) as object), causes: chain }));
    return;
  }
  for (const text of linesOf(step, causes)) out.result(text);
  tellChanges(step, before, after, out);
  if (line.problem) out.talk(colours.yellow(`\n${line.problem.code}: ${shown(line.problem.message)}`));
}

/** What brought a step about, the nearest first: the step that led to it, or the begin of the run that did it. */
function chainOf(step: Step, known: ReadonlyMap<number, Step>, started: ReadonlyMap<number, Step>): Step[] {
  const chain: Step[] = [];
  const causeAt = ({ seq, cause }: Step): Step | undefined => {
    const run = cause.run === undefined ? undefined : started.get(cause.run);
    const led = cause.step === undefined ? undefined : known.get(cause.step);
    // What a run waited for is nearer than its begin.
    return led ?? (run && run.seq !== seq ? run : undefined);
  };
  for (let one = causeAt(step); one && !chain.includes(one); one = causeAt(one)) chain.push(one);
  return chain;
}

function* linesOf(step: Step, causes: readonly Step[]): Iterable<string> {
  const row = (name: string, text: string): string => `${colours.dim(name.padEnd(11))} ${text}`;
  yield `${colours.bold(`Step ${step.seq}`)}  ${reportsOf(step)}`;
  if (step.title !== undefined && step.action) yield row('type', shown(step.action.type));
  yield row('time (UTC)', `${new Date(step.time).toISOString().slice(0, 10)} ${timeOf(step)}`);
  yield row('because of', shown(causeOf(step)) || 'the application');
  for (const cause of causes)
    yield row(
      '',
      `${colours.dim('after')} step ${cause.seq}, ${reportsOf(cause)} ${colours.dim(shown(causeOf(cause)))}`,
    );
  if (step.action && 'payload' in step.action) {
    const lines = jsonOf(encode(step.action.payload), 2).split('\n');
    const kept = lines.length > MOST_LINES ? lines.slice(0, MOST_LINES - 1) : lines;
    for (const [i, text] of kept.entries()) yield row(i === 0 ? 'payload' : '', text);
    if (kept !== lines)
      yield row(
        '',
        colours.dim(`and ${counted(lines.length - kept.length, 'more line', 'more lines')}; --json has all`),
      );
  }
  if (step.run) yield row('arguments', inShort(step.run.args, 200));
  if (step.run?.saw) yield row('observed', step.run.saw.map(([what, value]) => `${what} ${value}`).join(', '));
  yield row('outcome', step.excluded ? 'excluded' : step.outcome);
  if (step.reason !== undefined) yield row('reason', colours.red(shown(step.reason)));
  for (const problem of step.problems ?? []) yield row('problem', colours.red(shown(problem)));
  if (step.stack !== undefined)
    for (const [i, at] of step.stack.split('\n').entries()) yield row(i === 0 ? 'stack' : '', shown(at.trim()));
  yield row('took', `${step.took.toFixed(2)} ms`);
}

function tellChanges({ changes }: Step, before: unknown, after: unknown, out: Output): void {
  if (changes.length === 0) return out.result(colours.dim('\nIt changed nothing.'));
  out.result('');
  const columns = new Columns(out, ['', 'where', 'before', 'after']);
  const tones = { add: colours.green, remove: colours.red, replace: colours.yellow } as const;
  const value = (states: unknown, path: string): string => {
    const found = lookUp(states, parsePointer(path));
    return found ? inShort(found.value, 44) : colours.dim('nothing');
  };
  columns.write(
    changes
      .slice(0, MOST_CHANGES)
      .map(({ op, path }) => [
        tones[op as keyof typeof tones](op),
        shown(path),
        op === 'add' ? colours.dim('nothing') : value(before, path),
        op === 'remove' ? colours.dim('nothing') : value(after, path),
      ]),
  );
  if (changes.length > MOST_CHANGES)
    out.talk(colours.dim(`\nand ${changes.length - MOST_CHANGES} more; --json has all.`));
}
