// The steps of a trace that a test is written from: what is given before them, and which of their actions happen in it.
import { definitionOf, endOfGroup, hasOwn, Model, parsePointer, sameData, startOfGroup } from '../core/internal.js';
import type { AnyStore, Patch } from '../core/index.js';
import { noSuchStep, nothingToTest } from './errors.js';
import { lineOf, traceOf, type GivenTrace } from './file-reading.js';
import { patched, type States } from './kept-states.js';
import { Redaction } from './redaction/redaction.js';
import { holdsRedacted } from './redaction/secrets.js';
import { recomputed, type Recomputing } from './recompute.js';
import type { Step } from './step.js';

/** Which steps; see `WriteTestOptions`. */
export interface RangeOptions {
  readonly from?: number;
  readonly to?: number;
  readonly branch?: number;
  readonly stores?: readonly AnyStore[];
}

interface Range {
  /** From the first action on. */
  readonly steps: readonly Step[];
  /** The number of the first step, which may state a fact before the first action. */
  readonly first: number;
  /** The states before the first action: of the stores that the steps are about, where the code is there to tell. */
  readonly before: States;
  /** The states after the last one, of all stores. */
  readonly after: States;
  /** The stores that join on the way; but one whose first state is what an action made of it begins as it is declared. */
  readonly joining: ReadonlySet<string>;
  /** The actions that happen in the test. */
  readonly dispatched: ReadonlySet<Step>;
}

/** @throws FLOE_NO_SUCH_STEP, FLOE_NOTHING_TO_TEST */
export function rangeOf(given: GivenTrace, { from, to, branch, stores }: RangeOptions): Range {
  const file = traceOf(given);
  const line = lineOf(file, branch);
  const redaction = new Redaction({ state: file.header.redacted ?? [] });
  const indexOf = (seq: number): number => {
    const index = line.findIndex((step) => step.seq === seq);
    if (index < 0) throw noSuchStep(seq, line[0]?.seq ?? 0, line.at(-1)?.seq ?? 0);
    return index;
  };
  // What commits or rolls back together happens as a whole.
  const start =
    from === undefined ? line.findIndex(({ kind }) => kind === 'action') : startOfGroup(line, indexOf(from));
  const end = to === undefined ? line.length : endOfGroup(line, indexOf(to));
  const range = line.slice(Math.max(0, start), end);
  // What is stated before the first action is how the test begins.
  const secrets = new RedactedSteps(redaction, stores, line);
  let states = patched(file.states, line.slice(0, Math.max(0, start)));
  const happens = new Set<Step>();
  const known: States[] = [];
  for (const step of range) {
    known.push(states);
    if (canHappen(step) && !secrets.matterTo(step, states)) happens.add(step);
    states = patched(states, [step]);
  }
  const action = range.findIndex((step) => happens.has(step));
  if (action < 0) throw nothingToTest(from, to);
  const steps = range.slice(action);
  const before = known[action];
  const concerned = concernedBy(steps, happens, stores);
  const joining = new Set<string>();
  const changed = new Set<string>();
  for (const { kind, changes } of steps)
    for (const name of changes.map(storeAt))
      if (!hasOwn(before, name) && !isStatus(name) && !joining.has(name))
        (kind === 'action' || changed.has(name) ? changed : joining).add(name);
  return {
    ...{ steps, first: range[0].seq, after: ofStores(states), joining, dispatched: happens },
    before: Object.fromEntries(Object.entries(ofStores(before)).filter(([name]) => concerned?.has(name) ?? true)),
  };
}

export const storeAt = ({ path }: Patch[number]): string => parsePointer(path)[0];

/** The stores that steps change, or that handle their actions; nothing where only the code could tell. */
function concernedBy(
  steps: readonly Step[],
  happens: ReadonlySet<Step>,
  stores: readonly AnyStore[] | undefined,
): ReadonlySet<string> | undefined {
  if (!stores) return undefined;
  const concerned = new Set(steps.flatMap((step) => [...step.stores, ...step.changes.map(storeAt)]));
  const types = new Set(steps.filter((step) => happens.has(step)).map((step) => step.action!.type));
  for (const store of stores.map(definitionOf))
    for (const type of types) if ([...store.changesFor(type)].length > 0) concerned.add(store.name);
  return concerned;
}

/** Without the status of tasks, with which no test can begin: the names of stores have no dot. */
const ofStores = (states: States): States =>
  Object.fromEntries(Object.entries(states).filter(([name]) => !isStatus(name)));

export const isStatus = (name: string): boolean => name.includes('.');

export const HAPPENED = new Set(['applied', 'unchanged', 'failed', 'refused']);

const canHappen = ({ kind, outcome, excluded, onTrust }: Step): boolean =>
  kind === 'action' && !excluded && !onTrust && HAPPENED.has(outcome);

/** What is redacted, and what depends on it. */
class RedactedSteps {
  private readonly how: Recomputing | undefined;

  constructor(
    private readonly redaction: Redaction,
    stores: readonly AnyStore[] | undefined,
    line: readonly Step[],
  ) {
    this.how = stores && {
      ...{ model: new Model(stores.map(definitionOf)), redaction },
      refuses: line.some(({ outcome }) => outcome === 'refused'),
      ...{ isExcluded: () => false, isOrphan: () => false },
    };
  }

  /** Whether an action may have done something else than it does where nothing stands at redacted places. */
  matterTo(step: Step, before: States): boolean {
    const { action, stores, outcome } = step;
    const own = [...stores, action!.type.split('.')[0]];
    if (!own.some((store) => this.redaction.rules.covers(store))) return false;
    if (!this.how || holdsRedacted(action!.payload)) return true;
    const { step: found } = recomputed(step, before, this.how);
    if (found.outcome !== outcome || found.reason !== step.reason) return true;
    if (outcome !== 'applied') return false;
    // What it puts at a redacted place is in no step, and would be in the state of the test.
    const after = patched(before, [step]);
    const { changed } = this.how.model.apply(action!, before);
    return !changed.every((one) => sameData(one.after, after[one.store.name]));
  }
}
