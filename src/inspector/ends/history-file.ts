// A history as a file, as a test and as code.
import { encode } from '../../core/internal.js';
import { literal, traceLines, type TraceSource, withTitles } from '../../trace/internal.js';
import type { Step } from '../../trace/index.js';
import type { Methods } from '../protocol/protocol.js';
import { Slice } from '../protocol/slices.js';
import type { StepReads } from './step-reads.js';

/** Characters of a file that are sent at once. */
const PART = 500_000;

export class HistoryFile {
  private exporting: Iterator<string, undefined> | undefined;

  constructor(
    private readonly source: TraceSource,
    private readonly steps: StepReads,
  ) {}

  async exported({ from }: Methods['export']['params']): Promise<Methods['export']['result']> {
    if (from === 0 || !this.exporting) this.exporting = this.lines()[Symbol.iterator]();
    const lines: string[] = [];
    let size = 0;
    let count = from;
    const slice = new Slice();
    while (size < PART) {
      const next: IteratorResult<string, undefined> = this.exporting.next();
      if (next.done) {
        this.exporting = undefined;
        return { text: lines.join(''), next: null };
      }
      lines.push(next.value + '\n');
      size += next.value.length;
      count++;
      if ((count & 63) === 0 && slice.isOver) await slice.next();
    }
    return { text: lines.join(''), next: count };
  }

  /** The lines of a trace file with this history. */
  lines(): Iterable<string, undefined> {
    const { source } = this;
    function* steps(): Iterable<Step> {
      const aside = source.branches
        .filter(({ id }) => id !== source.branch)
        .flatMap(({ id }) => source.stepsOf(id).steps);
      const others = [...new Map(aside.map((step) => [step.seq, step])).values()].sort((a, b) => a.seq - b.seq);
      let next = 0;
      for (let position = source.first; position < source.end; position++) {
        const step = source.at(position)!;
        while (next < others.length && others[next].seq < step.seq) yield others[next++];
        yield step;
      }
      yield* others.slice(next);
    }
    const names = source.branches.filter(({ id, name }) => name !== (id === 0 ? 'first' : `branch ${id}`));
    return traceLines(
      {
        steps: withTitles(steps(), source),
        folded: source.folded,
        states: source.folded === null ? undefined : source.statesAt(source.first - 1),
        names,
        interactions: source.interactions,
        redacted: source.redacted,
      },
      new Date(),
    );
  }

  async test({ from, to, model }: Methods['writeTest']['params']): Promise<Methods['writeTest']['result']> {
    const { writeTest } = await import('./write-test.js');
    const { stores } = this.source;
    return { text: writeTest(this.lines(), { from, to, model, ...(stores.length > 0 && { stores }) }) };
  }

  code({ seq, as }: Methods['code']['params']): Methods['code']['result'] {
    const { step } = this.steps.at(seq);
    const { action } = step;
    if (as === 'json' || !action) {
      const plain = action ?? { fact: step.fact, ...(step.run && { task: step.run.task, arguments: step.run.args }) };
      return { text: JSON.stringify(encode(plain), undefined, 2) };
    }
    return { text: `runtime.dispatch(${literal(action)});` };
  }
}
