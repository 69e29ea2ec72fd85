// What may happen next in a story that is played.
import { nameOfData, type Choice, type NamedChoice } from './choices.js';
import { examplesIn, isCall } from './examples.js';
import type { Playing } from './playing.js';

/** What may happen next, each once. */
export function choicesOf(playing: Playing): readonly NamedChoice[] {
  const { runs } = playing;
  const found = new Map<string, NamedChoice>();
  const add = (name: string, choice: Choice, depends = false): void => {
    if (!found.has(name)) found.set(name, depends ? { name, choice, depends } : { name, choice });
  };
  const { cancels, examples } = playing.stage.options;
  for (const { number, run, ofRun, outcomes } of playing.needs.calls.values())
    for (const outcome of outcomes.keys())
      add(`respond ${runs.nameOf(run)} ${ofRun} ${outcome}`, { does: 'respond', call: number, outcome });
  for (const { number, run, at } of playing.clock.next()) {
    const sleeper = run === undefined ? undefined : runs.all.get(run);
    add(`wait ${at} ${sleeper ? runs.nameOf(sleeper) : `timer ${number}`}`, { does: 'wait', timer: number });
  }
  for (const { number, action } of playing.held.all.values())
    for (const proceeds of [true, false])
      add(`${nameOfData('decide', action)} ${proceeds}`, { does: 'decide', held: number, proceeds });
  if (cancels)
    for (const observed of runs.all.values())
      if (!observed.run.ended) add(`cancel ${runs.nameOf(observed)}`, { does: 'cancel', run: observed.run.id });
  for (const one of examplesIn(examples, playing.states)) {
    const depends = !examples.includes(one);
    if (isCall(one)) add(nameOfData('run', one), { does: 'run', call: one }, depends);
    else add(nameOfData('dispatch', one), { does: 'dispatch', action: one }, depends);
  }
  return [...found.values()];
}
