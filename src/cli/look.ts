// `floe state`, `floe changes`, `floe history`: what the state was, how it became another, and who changed a value.
import colours from 'picocolors';
import { differenceOfStates, encode, lookUp, parsePointer } from '../core/internal.js';
import { causeOf, type Step } from '../trace/index.js';
import { changesOf, encodePatch, patched, type ValueChange } from '../trace/internal.js';
import { noValue } from './errors.js';
import { sourceOf } from './input.js';
import { lineTo, statesAt } from './line.js';
import { numberOf } from './options.js';
import { Columns, counted, inShort, jsonOf, shown, type Output } from './output.js';
import { MOST_TITLE, timeOf, reportsOf } from './steps.js';

export interface LookOptions {
  readonly step?: string;
  readonly path?: string;
  readonly json?: boolean;
}

export interface ChangesOptions {
  readonly from: string;
  readonly to: string;
  readonly json?: boolean;
}

export async function showState(file: string, options: LookOptions, out: Output): Promise<void> {
  const { path = '' } = options;
  const keys = parsePointer(path);
  const line = await lineTo(sourceOf(file), numberOf('--step', options.step), out);
  const states = (await statesAt(line)).get(line.last);
  const found = lookUp(states, keys);
  if (!found) throw noValue(path, line.last);
  out.result(jsonOf(encode(found.value), options.json ? undefined : 2));
  if (!options.json) out.talk(colours.dim(`\nThe state after step ${line.last}.`));
  tellProblem(line, out);
}

export async function showChanges(file: string, { from, to, json }: ChangesOptions, out: Output): Promise<void> {
  const [start, end] = [numberOf('--from', from)!, numberOf('--to', to)!];
  const source = sourceOf(file);
  const [first, last] = [Math.min(start, end), Math.max(start, end)];
  const line = await lineTo(source, last, out);
  const states = await statesAt(line, [first]);
  // On another branch.
  const early = states.get(first) ?? (await statesAt(await lineTo(source, first, out))).get(first);
  const late = states.get(last);
  const [before, after] = start <= end ? [early, late] : [late, early];
  const { changes } = differenceOfStates(before!, after!);
  if (json) {
    out.result(jsonOf(encodePatch(changes)));
    return;
  }
  const columns = new Columns(out, ['', 'where', 'before', 'after']);
  const valueAt = (states: unknown, path: string): string => {
    const found = lookUp(states, parsePointer(path));
    return found ? inShort(found.value, 44) : colours.dim('nothing');
  };
  const tones = { add: colours.green, remove: colours.red, replace: colours.yellow } as const;
  columns.write(
    changes.map(({ op, path }) => [
      tones[op as keyof typeof tones](op),
      shown(path),
      op === 'add' ? colours.dim('nothing') : valueAt(before, path),
      op === 'remove' ? colours.dim('nothing') : valueAt(after, path),
    ]),
  );
  out.talk(colours.dim(`\n${counted(changes.length, 'change')} from step ${start} to step ${end}.`));
  tellProblem(line, out);
}

export async function showHistory(
  file: string,
  options: LookOptions & { readonly path: string },
  out: Output,
): Promise<void> {
  const { path: pointer } = options;
  // The empty pointer is all of it.
  const store = parsePointer(pointer).at(0);
  const line = await lineTo(sourceOf(file), numberOf('--step', options.step), out);
  // Only what touched the same store can have changed it.
  const touching: Step[] = [];
  let states = line.states;
  await line.walk((step) => {
    const isWanted = ({ path }: { readonly path: string }): boolean => !store || parsePointer(path)[0] === store;
    const changes = step.changes.filter(isWanted);
    if (changes.length === 0) return;
    const undo = step.undo.filter(isWanted);
    states = patched(states, [{ ...step, changes }]);
    touching.push({ ...step, changes, undo });
  });
  const found = [...changesOf(pointer, touching.reverse(), states)].reverse();
  if (found.length === 0 && !lookUp(states, parsePointer(pointer))) throw noValue(pointer, line.last);
  if (options.json) for (const one of found) out.result(jsonOf(changeOf(one)));
  else {
    const columns = new Columns(out, ['step', 'time (UTC)', 'what happened', 'because of', 'before', 'after']);
    const valueOf = (one: ValueChange, of: 'before' | 'after'): string =>
      of in one ? inShort(one[of], 34) : colours.dim('nothing');
    columns.write(
      found.map((one) => [
        colours.dim(String(one.step.seq).padStart(4)),
        colours.dim(timeOf(one.step)),
        reportsOf(one.step, MOST_TITLE) + (one.pointer === pointer ? '' : colours.dim(` at ${shown(one.pointer)}`)),
        colours.dim(shown(causeOf(one.step))),
        valueOf(one, 'before'),
        valueOf(one, 'after'),
      ]),
    );
    out.talk(
      colours.dim(`\n${counted(found.length, 'step')} changed ${pointer || 'the states'} up to step ${line.last}.`),
    );
  }
  tellProblem(line, out);
}

const changeOf = ({ step, pointer, ...values }: ValueChange): object => ({
  seq: step.seq,
  time: new Date(step.time).toISOString(),
  name: step.action?.type ?? step.fact,
  cause: step.cause,
  pointer,
  ...('before' in values && { before: encode(values.before) }),
  ...('after' in values && { after: encode(values.after) }),
});

function tellProblem(
  { problem }: { readonly problem: { code: string; message: string } | undefined },
  out: Output,
): void {
  if (problem) out.talk(colours.yellow(`\n${problem.code}: ${shown(problem.message)}`));
}
