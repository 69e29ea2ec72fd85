// Runs that no caller starts: an action that a task handles does, or the beginning of the runtime. They start one after the
// other, and those that start each other without end are stopped.
import { endlessLoop } from '../../base/errors.js';
import type { Cause } from '../../kernel/transition.js';
import type { Call, TaskDefinition } from './definition.js';

/** A longer chain of runs, each started by an action of the one before without a pause, is taken for an endless loop. */
const MOST_LINKS = 100;

/** As many runs that one origin starts without a pause are taken for an endless loop. */
const MOST_STARTS = 100_000;

/** A run that an action started, and the one whose action that was. */
interface StartLink {
  readonly task: string;
  readonly after: StartLink | undefined;
  readonly depth: number;
}

/** A run that is to be started. */
export interface Start {
  readonly call: Call;
  readonly cause: Cause;
  readonly isAtStart?: boolean;
}

export class Starts {
  /** Tasks that begin with the runtime, and whose runs ended with a line that was left. */
  readonly toRestart = new Set<TaskDefinition>();
  private readonly waiting: (Start & { readonly link: StartLink })[] = [];
  private isStarting = false;
  /** The run that is being started, when an action started it. */
  private link: StartLink | undefined;

  constructor(
    private readonly start: (start: Start) => void,
    private readonly problem: (error: unknown) => void,
  ) {}

  /** Starts runs, now or after those that are being started. */
  add(starts: readonly Start[]): void {
    for (const start of starts) this.waiting.push({ ...start, link: this.linkTo(start.call.task) });
    if (this.isStarting) return;
    this.isStarting = true;
    try {
      for (let count = 1; this.waiting.length > 0; count++) {
        const next = this.waiting.shift()!;
        const { link } = next;
        if (link.depth > MOST_LINKS || count > MOST_STARTS) {
          this.problem(endlessLoop(namesOf(link)));
          continue;
        }
        this.link = link;
        try {
          this.start(next);
        } catch (error) {
          this.problem(error);
        }
      }
    } finally {
      this.isStarting = false;
      this.link = undefined;
    }
  }

  /** Starts those that begin with the runtime. */
  atStart(tasks: Iterable<TaskDefinition>): void {
    const begin = Array.from(tasks).filter(({ options }) => options.atStart);
    this.add(begin.map((task) => ({ call: { task, args: [] }, cause: { by: 'runtime' }, isAtStart: true })));
  }

  restart(): void {
    const tasks = [...this.toRestart];
    this.toRestart.clear();
    this.atStart(tasks);
  }

  clear(): void {
    this.toRestart.clear();
    this.waiting.length = 0;
  }

  private linkTo({ name }: TaskDefinition): StartLink {
    const { link } = this;
    return { task: name, after: link, depth: (link?.depth ?? 0) + 1 };
  }
}

/** The tasks of a chain, in the order in which they started each other, none twice. */
function namesOf(last: StartLink): readonly string[] {
  const names = new Set<string>();
  for (let link: StartLink | undefined = last; link; link = link.after) names.add(link.task);
  return [...names].reverse();
}
