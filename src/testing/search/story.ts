// What happens in a story, in sentences.
import { describeArguments } from '../../core/internal.js';
import type { AnyAction } from '../../core/index.js';
import type { Choice } from './choices.js';
import type { StoryStep } from './exploration.js';
import type { PendingCall, Playing } from './playing.js';

const LONGEST = 80;

/** Arguments as they stand in a call, cut where they are long. */
function inShort(args: readonly unknown[]): string {
  const text = describeArguments(args);
  return text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text;
}

const callText = (name: string, args: readonly unknown[]): string => `${name}(${inShort(args)})`;
const actionText = (action: AnyAction): string => callText(action.type, 'payload' in action ? [action.payload] : []);
const calledText = ({ need, method, args }: PendingCall): string => callText(method === '' ? need : `${need}.${method}`, args);

/** The step of a story in which an action is dispatched. */
export const dispatched = (action: AnyAction): StoryStep => ({
  does: 'dispatch',
  action,
  says: `${actionText(action)} is dispatched`,
});

const SECOND = 1000;
const timeText = (ms: number): string =>
  ms >= SECOND ? `${(ms / SECOND).toLocaleString('en', { maximumFractionDigits: 1 })} s` : `${ms} ms`;

/** Lets a choice happen, and says what happened; nothing where it could not. */
export async function tell(playing: Playing, choice: Choice): Promise<StoryStep | undefined> {
  const begin = beginOf(playing, choice);
  const calls = playing.callCount;
  const runs = playing.runs.all.size;
  if (!begin || !(await playing.perform(choice))) return undefined;
  const made = [...playing.calls.values()].filter(({ number }) => number > calls);
  const asks = made.map((call) => `call ${call.ofNeed} of ${call.need}, ${calledText(call)}, waits`);
  const says = [begin.says, ...asks].join('; ');
  return begin.does === 'run' ? { ...begin, says, run: runs + 1 } : { ...begin, says };
}

function beginOf(playing: Playing, choice: Choice): StoryStep | undefined {
  switch (choice.does) {
    case 'dispatch':
      return dispatched(choice.action);
    case 'run': {
      const { task, args } = choice.call;
      return { does: 'run', task: task.name, args, run: 0, says: `${callText(task.name, args)} starts` };
    }
    case 'respond': {
      const call = playing.calls.get(choice.call);
      if (!call) return undefined;
      const { ofNeed, need, method, args, run, outcomes } = call;
      const response = responseOf(outcomes[choice.outcome]);
      const with_ = 'error' in response ? `it fails: ${response.error}` : inShort([response.value]) || 'done';
      return {
        ...{ does: 'respond', call: ofNeed, need, method, args, ...response },
        ...{ task: run.run.task.name, run: run.run.id },
        says: `${need} responds to call ${ofNeed}, ${callText(method === '' ? need : method, args)}: ${with_}`,
      };
    }
    case 'wait': {
      const timer = [...playing.clock.timers].find(({ number }) => number === choice.timer);
      if (!timer) return undefined;
      const due = playing.clock.next();
      const sleeper = timer.run === undefined ? undefined : playing.runs.all.get(timer.run)?.run;
      const ms = Math.max(0, timer.at - playing.clock.now());
      const of = sleeper ? `'${sleeper.task.name}' has slept ${timeText(timer.ms)}` : `a pause of ${timeText(timer.ms)} is over`;
      return { does: 'wait', ms, timer: due.indexOf(timer) + 1, says: of };
    }
    case 'cancel': {
      const run = playing.runs.all.get(choice.run)?.run;
      return run && { does: 'cancel', task: run.task.name, run: run.id, says: `the run of ${callText(run.task.name, run.args)} is cancelled` };
    }
    case 'decide': {
      const { held, proceeds } = choice;
      const action = playing.held.get(held)?.action;
      return action && { does: 'decide', action, held, proceeds, says: `${actionText(action)}, which was held, ${proceeds ? 'goes on' : 'is stopped'}` };
    }
  }
}

/** What a call gets, without having it happen. */
function responseOf(outcome: unknown): { readonly value: unknown } | { readonly error: string } {
  if (outcome instanceof Error) return { error: outcome.message };
  return { value: typeof outcome === 'function' ? undefined : outcome };
}
