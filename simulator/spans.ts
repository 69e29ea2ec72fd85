// What is open while an operation happens. Faults live where two features meet: the table counts each operation in each span.
import type { OperationName } from './acts/index.js';
import type { Session } from './session.js';

export const SPANS = [
  'transaction',
  'pending action',
  'held action',
  'past shown',
  'run under way',
  'write under way',
  'storage away',
  'older tab',
  'unsettled tab',
  'branch',
  'exclusion',
] as const;
export type Span = (typeof SPANS)[number];

export function spansOf(session: Session, isInside: boolean): Set<Span> {
  const spans = new Set<Span>();
  const { trace, world, persistence } = session;
  if (isInside) spans.add('transaction');
  if (session.open.length > 0) spans.add('pending action');
  if (session.held.length > 0) spans.add('held action');
  if (trace && !trace.isLive) spans.add('past shown');
  if (session.questions.length > 0) spans.add('run under way');
  if (world.disk.isWriting || world.server.isWaiting) spans.add('write under way');
  if (persistence && (world.disk.state !== 'fine' || world.server.state !== 'fine')) spans.add('storage away');
  const { version } = session.options;
  if (world.here.some((other) => other !== session && other.options.version < version)) spans.add('older tab');
  if (world.here.some((other) => other.persistence?.tab === 'asking')) spans.add('unsettled tab');
  if (trace && trace.branches.length > 1) spans.add('branch');
  if (trace?.steps.some(({ excluded }) => excluded)) spans.add('exclusion');
  return spans;
}

export class SpanTable {
  private readonly counts = new Map<string, number>();

  count(operation: OperationName, spans: ReadonlySet<Span>): void {
    for (const span of spans) {
      const key = `${operation}|${span}`;
      this.counts.set(key, (this.counts.get(key) ?? 0) + 1);
    }
    this.counts.set(operation, (this.counts.get(operation) ?? 0) + 1);
  }

  /** To be sent from one thread to another. */
  get entries(): readonly (readonly [string, number])[] {
    return [...this.counts];
  }

  add(entries: SpanTable['entries']): void {
    for (const [key, count] of entries) this.counts.set(key, (this.counts.get(key) ?? 0) + count);
  }

  of(operation: OperationName, span?: Span): number {
    return this.counts.get(span === undefined ? operation : `${operation}|${span}`) ?? 0;
  }
}
