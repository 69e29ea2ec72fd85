// What should not be, as it is noticed while a story is played.
import { brokenRule, FloeError, messageOf } from '../../core/internal.js';
import type { Problem } from '../../core/index.js';
import type { FindingKind } from '../../trace/index.js';
import type { Stage } from './stage.js';

/** Something that should not be, seen while a story was played. */
export interface Seen {
  readonly kind: FindingKind;
  readonly what: string;
  readonly threw?: string;
}

export class Faults {
  readonly all: Seen[] = [];

  constructor(private readonly stage: Stage) {}

  note(one: Seen): void {
    if (!this.all.some(({ kind, what }) => kind === one.kind && what === one.what)) this.all.push(one);
  }

  /** A change threw. */
  threw(error: unknown): void {
    if (error instanceof FloeError && error.code === 'FLOE_ENDLESS_LOOP') return;
    this.note({ kind: 'change', what: messageOf(error) });
  }

  /** What the runtime reports. */
  problem({ error, task }: Problem): void {
    const { code, cause } = error as Partial<FloeError>;
    const what = messageOf(error);
    if (code === 'FLOE_INVARIANT_BROKEN') {
      const rules = this.stage.stores.flatMap(({ invariants }) => invariants.map(({ name }) => name));
      const rule = rules.find((name) => what.startsWith(brokenRule(name))) ?? what;
      this.note({ kind: 'rule', what: rule, ...(cause !== undefined && { threw: messageOf(cause) }) });
    } else if (code === 'FLOE_ENDLESS_LOOP') this.note({ kind: 'loop', what });
    else this.note({ kind: task === undefined ? 'change' : 'unseen', what });
  }
}
