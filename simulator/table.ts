// The table operation × open span: what was tried beside what.
import { OPERATIONS, type OperationName } from './acts/index.js';
import { SPANS, type SpanTable, type Span } from './spans.js';

/** Why an operation cannot happen in a span. */
export function impossible(operation: OperationName, span: Span): string | undefined {
  const { outside, group } = OPERATIONS[operation];
  if (span === 'transaction') return outside;
  const isTabs = span === 'older tab' || span === 'unsettled tab';
  if (isTabs && group === 'store') return 'programs over tabs hold no operation on the set of stores';
  return undefined;
}

/** The table operation × open span, as text. */
export function tableOf(spans: SpanTable): { readonly lines: readonly string[]; readonly zeros: readonly string[] } {
  const zeros: string[] = [];
  const reasons = new Set<string>();
  const header = [
    'operation'.padEnd(18),
    'all'.padStart(8),
    ...SPANS.map((span) => span.replace(' ', '\u00a0').slice(0, 9).padStart(10)),
  ].join('');
  const lines = (Object.keys(OPERATIONS) as OperationName[]).map((operation) => {
    const cells = SPANS.map((span) => {
      const why = impossible(operation, span);
      const count = spans.of(operation, span);
      if (why !== undefined && count === 0) {
        reasons.add(`-: ${operation}, ${span}: ${why}`);
        return '-'.padStart(10);
      }
      if (count === 0) zeros.push(`${operation} × ${span}`);
      return String(count).padStart(10);
    });
    return [operation.padEnd(18), String(spans.of(operation)).padStart(8), ...cells].join('');
  });
  return { lines: [header, ...lines, '', ...reasons], zeros };
}
