// What is read of the values in a history: of states, payloads, arguments and derived values.
import { isKeyed, lookUp, parsePointer } from '../../core/internal.js';
import { type TraceSource, ValueTrail } from '../../trace/internal.js';
import { partsWithLinks, rowsShown, rowsThatLink } from '../history/rows.js';
import { partsShown, valueAt, valueShown } from '../history/values.js';
import type { Methods, RowsShown, ValuePlace } from '../protocol/protocol.js';
import { Slice } from '../protocol/slices.js';
import type { HistoryContext, StepReads } from './step-reads.js';

/** So many parts of a value are given at once. */
const MOST_PARTS = 500;

export class ValueReads {
  constructor(
    private readonly source: TraceSource,
    private readonly steps: StepReads,
    private readonly around: HistoryContext,
  ) {}

  async valueOf(of: ValuePlace): Promise<{ readonly value: unknown } | undefined> {
    if (of.in === 'derived') {
      const found = this.around.derivedValue?.(of.id);
      return found && valueAt(found.value, of.pointer);
    }
    const { step, position } = this.steps.at(of.seq);
    if (of.in === 'payload') return step.action && valueAt(step.action.payload, of.pointer);
    if (of.in === 'arguments') return step.run && valueAt(step.run.args, of.pointer);
    return lookUp(await this.steps.statesAt(of.before ? position - 1 : position), parsePointer(of.pointer));
  }

  async parts({ of, from, count, since, first = [] }: Methods['parts']['params']): Promise<Methods['parts']['result']> {
    const found = await this.valueOf(of);
    if (!found) return { value: null, total: 0, parts: [] };
    const keys = parsePointer(of.pointer);
    const before =
      of.in !== 'state' || since === undefined
        ? undefined
        : lookUp(await this.steps.statesAt(this.steps.position(since) - 1), keys);
    const isNew = of.in === 'state' && since !== undefined && before === undefined && keys.length > 0;
    const window = { from, count: Math.min(count, MOST_PARTS), first };
    const { total, parts } = partsShown(found.value, isNew ? undefined : before, keys, window);
    const { links } = this.around;
    const linked =
      of.in === 'state' && links
        ? partsWithLinks(links, await this.steps.statesAt(this.steps.position(of.seq)), keys, parts)
        : parts;
    return { value: valueShown(found.value), total, parts: linked };
  }

  async rows({ seq, pointer, from, count, since, first = [] }: Methods['rows']['params']): Promise<RowsShown> {
    const keys = parsePointer(pointer);
    const states = await this.steps.statesAt(this.steps.position(seq));
    const table = lookUp(states, keys)?.value;
    if (!isKeyed(table)) return { columns: [], total: 0, rows: [] };
    const before =
      since === undefined ? undefined : lookUp(await this.steps.statesAt(this.steps.position(since) - 1), keys);
    const window = { from, count: Math.min(count, MOST_PARTS), first };
    return rowsShown({ table, before, keys }, window, states, this.around.links);
  }

  async linkedBy({ seq, pointer }: Methods['linkedBy']['params']): Promise<Methods['linkedBy']['result']> {
    const states = await this.steps.statesAt(this.steps.position(seq));
    return rowsThatLink(this.around.links, states, parsePointer(pointer));
  }

  async history({ pointer, seq, count }: Methods['history']['params']): Promise<Methods['history']['result']> {
    const position = this.steps.position(seq);
    const states = (await this.steps.statesAt(position)) as Readonly<Record<string, unknown>>;
    const { source } = this;
    const slice = new Slice();
    const entries: Methods['history']['result']['entries'][number][] = [];
    const trail = new ValueTrail(pointer, states);
    for (let at = position; at >= source.first && !trail.isOver; at--) {
      const change = trail.back(source.at(at)!);
      if (slice.isOver) await slice.next();
      if (!change) continue;
      if (entries.length >= count) return { entries, more: true };
      entries.push({
        ...this.steps.shown(change.step),
        pointer: change.pointer,
        before: 'before' in change ? valueShown(change.before) : null,
        after: 'after' in change ? valueShown(change.after) : null,
        because: this.steps.becauseOf(change.step),
      });
    }
    return { entries, more: false };
  }
}
