// The states of a line of which some steps are left out: rules 2, 13 and 16.
import type { Step } from 'floe/trace';
import type { Blueprint } from '../application.js';
import type { Handlers } from './handlers.js';
import type { Node } from './line.js';
import { patched, type Plain, type States } from './plain.js';
import { isBroken } from './rules.js';

type Counted = Node & { readonly excluded: boolean };

/** Computed from the action; all others were decided elsewhere and change nothing. */
const COMPUTED = ['applied', 'unchanged', 'failed', 'refused'];
/** What stays when the transaction around it is left out or rolled back. */
const STAYS = ['initial', 'joined', 'rehydrated'];

const factOf = ({ step }: Node, states: States): States => {
  try {
    return patched(states, step.given ?? step.changes);
  } catch {
    if (step.alsoAbout)
      return (step.given ?? step.changes).reduce((now, operation) => {
        try {
          return patched(now, [operation]);
        } catch {
          return now;
        }
      }, states);
    // The stores that joined meanwhile have joined.
    const joins = (step.given ?? step.changes).filter(({ op, path }) => op === 'add' && path.lastIndexOf('/') === 0);
    return patched(states, joins);
  }
};

const isFact = ({ step }: Node): boolean => step.kind === 'fact' || step.onTrust === true;

/** The states after each step. */
export function recomputed(
  line: readonly Counted[],
  start: States,
  handlers: Handlers,
  blueprint: Blueprint,
): States[] {
  const left = new Set(line.filter(({ excluded }) => excluded).map(({ seq }) => seq));
  const results: States[] = [];
  let states = start;
  const one = (node: Counted, now: States): States => {
    const { step, payload, excluded } = node;
    if (excluded || (step.about !== undefined && [step.about, ...(step.alsoAbout ?? [])].every((seq) => left.has(seq))))
      return now;
    if (isFact(node)) return factOf(node, now);
    return COMPUTED.includes(step.outcome) ? handlers.apply(step.action!.type, payload, now) : now;
  };
  for (let i = 0, end: number; i < line.length; i = end) {
    const { group } = line[i].step;
    for (end = i + 1; group !== undefined && line[end]?.step.group === group; end++);
    const together = line.slice(i, end);
    const after =
      group === undefined ? alone(together[0], states, one, blueprint) : asWhole(together, states, one, blueprint);
    results.push(...after);
    states = results[results.length - 1];
  }
  return results;
}

type One = (node: Counted, now: States) => States;

function alone(node: Counted, states: States, one: One, blueprint: Blueprint): States[] {
  try {
    const after = one(node, states);
    const isRefused =
      node.step.kind === 'action' && blueprint.invariants === 'refuse' && isBroken(blueprint, states, after);
    return [isRefused ? states : after];
  } catch {
    return [states];
  }
}

/** All of a transaction counts, or nothing but the stores that joined in it. */
function asWhole(nodes: readonly Counted[], before: States, one: One, blueprint: Blueprint): States[] {
  const results: States[] = [];
  let states = before;
  const isLeft = nodes.some(({ excluded }) => excluded);
  const rolledBack = (): States[] => {
    let now = before;
    return nodes.map((node) => {
      if (isFact(node) && STAYS.includes(node.step.fact ?? '')) now = factOf(node, now);
      return now;
    });
  };
  if (isLeft) return rolledBack();
  for (const node of nodes) {
    try {
      states = one(node, states);
    } catch {
      // The application caught it then; it catches it now.
      if (node.step.caught !== true) return rolledBack();
    }
    results.push(states);
  }
  return blueprint.invariants === 'refuse' && isBroken(blueprint, before, states) ? rolledBack() : results;
}

export type { Step, Plain };
