// `floe compare A B`: where two recordings part.
import colours from 'picocolors';
import { encodePatch } from '../trace/internal.js';
import { causeOf, compareTraces, type Step } from '../trace/index.js';
import { readTraceFile } from './input.js';
import { inShort, jsonOf, shown, type Output } from './output.js';
import { reportsOf } from './steps.js';

const WHY = {
  event: 'something else happens',
  outcome: 'it comes to something else',
  changes: 'it changes something else',
  end: 'one of them ends',
} as const;

/** Gives the exit code: 1 where they part. */
export async function compare(
  a: string,
  b: string,
  { json }: { readonly json?: boolean },
  out: Output,
): Promise<0 | 1> {
  const { same, parts, changes } = compareTraces(await readTraceFile(a, out), await readTraceFile(b, out));
  if (json) {
    const part = parts && { ...parts, a: parts.a?.seq, b: parts.b?.seq };
    out.result(jsonOf({ same, ...(part && { parts: part }), changes: encodePatch(changes) }));
    return parts ? 1 : 0;
  }
  if (!parts) {
    out.result(`${colours.green('The same')}: all ${same} steps.`);
    return 0;
  }
  const place = parts.pointer === undefined ? '' : ` at ${colours.bold(shown(parts.pointer))}`;
  out.result(`The first ${same} steps are the same; then ${colours.yellow(WHY[parts.why])}${place}.\n`);
  for (const [file, step] of [
    [a, parts.a],
    [b, parts.b],
  ] as const) {
    out.result(colours.bold(file));
    for (const line of step ? aboutStep(step) : ['ends here']) out.result(`  ${line}`);
  }
  out.result(colours.bold(`\nIn the end ${changes.length === 0 ? 'the states are the same' : 'the states differ'}`));
  for (const { op, path, ...rest } of changes.slice(0, 20))
    out.result(`  ${op.padEnd(7)}  ${shown(path)}${'value' in rest ? `  ${inShort(rest.value)}` : ''}`);
  if (changes.length > 20) out.result(colours.dim(`  and ${changes.length - 20} more`));
  return 1;
}

function* aboutStep(step: Step): Iterable<string> {
  const because = causeOf(step);
  yield `step ${step.seq}: ${reportsOf(step)}${because ? colours.dim(`, because of ${shown(because)}`) : ''}`;
  if (step.action && 'payload' in step.action) yield colours.dim(`payload ${inShort(step.action.payload, 90)}`);
  for (const operation of step.changes.slice(0, 5))
    yield `${operation.op} ${shown(operation.path)}${'value' in operation ? ` ${inShort(operation.value)}` : ''}`;
  if (step.changes.length > 5) yield colours.dim(`and ${step.changes.length - 5} more changes`);
}
