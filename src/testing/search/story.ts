// What happens in a story, in sentences.
import { describeArguments, hostOf, type StoreDefinition } from '../../core/internal.js';
import type { AnyAction, Runtime } from '../../core/index.js';
import type { Choice } from './choices.js';
import { recording, type StoryStep, type Trace } from '../../trace/index.js';
import { declaredTitle } from '../../trace/internal.js';
import { notRepeatable } from '../errors.js';
import { taskIn } from '../story-helpers.js';
import type { ExploreOptions } from './exploration.js';
import { stageOf } from './stage.js';
import type { PendingCall } from './held-needs.js';
import { Playing } from './playing.js';

const LONGEST = 60;

/** Arguments as they stand in a call, cut where they are long. */
function inShort(args: readonly unknown[]): string {
  const text = describeArguments(args);
  return text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text;
}

const callText = (name: string, args: readonly unknown[]): string => `${name}(${inShort(args)})`;
const actionText = (action: AnyAction): string => callText(action.type, 'payload' in action ? [action.payload] : []);
const calledText = ({ need, method, args }: PendingCall): string =>
  callText(method === '' ? need : `${need}.${method}`, args);

/**
 * The step of a story in which an action is dispatched: with the title that its store declares, where it declares one.
 * @param states those before it
 */
export function dispatched(
  action: AnyAction,
  stores: readonly StoreDefinition[],
  states: Readonly<Record<string, unknown>>,
): StoryStep {
  const title = titleOf(action, stores, states);
  const says = title === undefined ? `${actionText(action)} is dispatched` : `${action.type}: ${title}`;
  return { does: 'dispatch', action, says };
}

const titleOf = (
  action: AnyAction,
  stores: readonly StoreDefinition[],
  states: Readonly<Record<string, unknown>>,
): string | undefined =>
  declaredTitle(
    { action },
    {
      about: (_kind, type) => stores.map((store) => store.aboutOf(type)).find((about) => about !== undefined),
      step: () => undefined,
      before: () => states,
      // A title is a help: without it the payload is shown.
      threw: () => undefined,
    },
  );

const SECOND = 1000;
const timeText = (ms: number): string =>
  ms >= SECOND ? `${(ms / SECOND).toLocaleString('en', { maximumFractionDigits: 1 })} s` : `${ms} ms`;

/** Lets a choice happen, and says what happened; nothing where it could not. */
export async function tell(playing: Playing, choice: Choice): Promise<StoryStep | undefined> {
  const begin = beginOf(playing, choice);
  const calls = playing.needs.count;
  const runs = playing.runs.all.size;
  if (!begin || !(await playing.perform(choice))) return undefined;
  const made = [...playing.needs.calls.values()].filter(({ number }) => number > calls);
  const asks = made.map((call) => `call ${call.number}, ${calledText(call)}, waits`);
  if (begin.does !== 'respond') {
    const says = [begin.says, ...asks].join('; ');
    // It may be that none began.
    return begin.does === 'run'
      ? { ...begin, says, run: [...playing.runs.all.keys()].at(runs) ?? 0 }
      : { ...begin, says };
  }
  const { came } = playing.needs;
  const response = came.error === undefined ? inShort([came.value]) || 'done' : `it fails, ${came.error}`;
  return { ...begin, ...came, says: [`${begin.says}: ${response}`, ...asks].join('; ') };
}

function beginOf(playing: Playing, choice: Choice): StoryStep | undefined {
  switch (choice.does) {
    case 'dispatch':
      return dispatched(choice.action, playing.stage.stores, playing.states);
    case 'run': {
      const { task, args } = choice.call;
      return { does: 'run', task: task.name, args, run: 0, says: `${callText(task.name, args)} starts` };
    }
    case 'respond': {
      const call = playing.needs.calls.get(choice.call);
      if (!call) return undefined;
      const { number, need, method, args, run } = call;
      const { task, id } = run.run;
      return {
        ...{ does: 'respond', call: number, need, method, args, outcome: choice.outcome, task: task.name, run: id },
        says: `${need} responds to call ${number}, ${callText(method === '' ? need : method, args)}`,
      };
    }
    case 'wait': {
      const timer = [...playing.clock.timers].find(({ number }) => number === choice.timer);
      if (!timer) return undefined;
      const due = playing.clock.next();
      const sleeper = timer.run === undefined ? undefined : playing.runs.all.get(timer.run)?.run;
      const ms = Math.max(0, timer.at - playing.clock.now());
      const of = sleeper
        ? `'${sleeper.task.name}' has slept ${timeText(timer.ms)}`
        : `a pause of ${timeText(timer.ms)} is over`;
      return { does: 'wait', ms, timer: due.indexOf(timer) + 1, says: of };
    }
    case 'cancel': {
      const run = playing.runs.all.get(choice.run)?.run;
      return (
        run && {
          does: 'cancel',
          task: run.task.name,
          run: run.id,
          says: `the run of ${callText(run.task.name, run.args)} is cancelled`,
        }
      );
    }
    case 'decide': {
      const { held, proceeds } = choice;
      const action = playing.held.all.get(held)?.action;
      return (
        action && {
          does: 'decide',
          action,
          held,
          proceeds,
          says: `${actionText(action)}, which was held, ${proceeds ? 'goes on' : 'is stopped'}`,
        }
      );
    }
  }
}

/** Plays a story that was found, and gives what a trace recorded of it. @throws FLOE_NOT_REPEATABLE */
export async function recorded(options: ExploreOptions, story: readonly StoryStep[]): Promise<string> {
  const playing = new Playing(stageOf(options), recording());
  await playing.rest();
  const played: string[] = [];
  for (const step of story) {
    const choice = choiceOf(step, playing);
    if (!choice || !(await playing.perform(choice))) throw notRepeatable(played);
    played.push(step.says);
  }
  const text = (playing.runtime as Runtime & { readonly trace: Trace }).trace.export();
  playing.close();
  return text;
}

/** The choice that a step of a story tells. */
function choiceOf(step: StoryStep, { runtime, clock }: Playing): Choice | undefined {
  switch (step.does) {
    case 'dispatch':
      return { does: 'dispatch', action: step.action };
    case 'run':
      return { does: 'run', call: { task: taskIn(hostOf(runtime), step.task), args: step.args } };
    case 'respond':
      return { does: 'respond', call: step.call, outcome: step.outcome };
    case 'wait': {
      const timer = clock.next().at(step.timer - 1);
      return timer && { does: 'wait', timer: timer.number };
    }
    case 'cancel':
      return { does: 'cancel', run: step.run };
    case 'decide':
      return { does: 'decide', held: step.held, proceeds: step.proceeds };
  }
}
