// The end of a link that shows a history: it responds to whatever can be read from recorded steps. A running application
// and a file have it in common.
import { parsePointer } from '../../core/internal.js';
import { encodePatch, type TraceSource } from '../../trace/internal.js';
import type { Step } from '../../trace/index.js';
import { BranchReads } from './branch-reads.js';
import { pointersOf } from '../history/changes.js';
import { asks, finder, placeOfHit } from '../history/finding.js';
import { HistoryFile } from './history-file.js';
import { StepReads, type HistoryContext } from './step-reads.js';
import { ValueReads } from './value-reads.js';
import type { Methods, Status, StepShown } from '../protocol/protocol.js';
import type { RequestHandlers } from '../protocol/rpc.js';
import { Slice } from '../protocol/slices.js';
import { isStatusStore } from '../history/step-columns.js';
import { figuresShown } from '../history/figures.js';
import { taskRunsShown } from '../history/task-runs.js';
import { StepIndex } from '../history/step-index.js';
import { TimelineDrawer } from '../history/timeline.js';
import { jsonText } from '../history/values.js';

/** So many values of a query are looked at before the response says how far it came. */
const MOST_FOUND = 200;

export class HistoryEnd {
  readonly index: StepIndex;
  private readonly drawer: TimelineDrawer;
  private revision = 0;
  private scanning: Promise<void> | undefined;
  private readonly stop: () => void;
  readonly steps: StepReads;
  private readonly values: ValueReads;
  private readonly file: HistoryFile;
  private readonly branches: BranchReads;

  /** @param changed called when something changed that the other end may want to know */
  constructor(
    readonly source: TraceSource,
    private readonly around: HistoryContext,
    private readonly changed: () => void,
  ) {
    this.index = new StepIndex(source);
    this.drawer = new TimelineDrawer(source, this.index);
    this.steps = new StepReads(source, this.index, around);
    this.values = new ValueReads(source, this.steps, around);
    this.file = new HistoryFile(source, this.steps);
    this.branches = new BranchReads(source, this.steps);
    this.stop = source.watch((from) => {
      if (from !== undefined && from < this.index.end) this.index.cut(from);
      this.touch();
    });
  }

  end(): void {
    this.stop();
  }

  /** Something that the other end shows is different now. */
  touch(): void {
    this.revision++;
    this.steps.forget();
    this.changed();
  }

  /** Reads what is new; long work in slices. */
  ready(): Promise<void> | undefined {
    if (this.index.isComplete && !this.scanning) {
      // Also interactions that dispatched nothing.
      this.index.scan();
      return undefined;
    }
    return (this.scanning ??= this.scan().finally(() => {
      this.scanning = undefined;
    }));
  }

  private async scan(): Promise<void> {
    const slice = new Slice();
    // What comes meanwhile waits for the next request: a file may still be read.
    const { end } = this.source;
    for (;;) {
      this.index.scan(() => slice.isOver);
      if (this.index.isComplete || this.index.end >= end) return;
      await slice.next();
    }
  }

  status(): Status {
    const { source, index } = this;
    // Much that is not indexed yet is told when it is.
    if (this.scanning === undefined) {
      if (source.end - index.end < 2000) index.scan();
      else void this.ready()?.then(() => this.changed());
    }
    const [first, last] = [source.at(source.first), source.at(source.end - 1)];
    return {
      revision: this.revision,
      steps: source.end - source.first,
      firstSeq: first?.seq ?? null,
      lastSeq: last?.seq ?? null,
      from: first?.time ?? null,
      to: last?.time ?? null,
      moments: index.moments.length,
      firstMoment: index.firstMoment,
      problems: index.steps.problems,
      ...this.around.shown(),
      application: source.application ?? null,
      branch: source.branch,
      branches: source.branches.map(({ id, name, from, tip }) => ({ id, name, from, tip })),
      folded: source.folded,
      ...(this.around.reading?.() ?? { reading: null, problem: null }),
      muted: [...index.muted],
      interactions: source.interactions.length,
    };
  }

  private async find({ before, count, ...query }: Methods['find']['params']): Promise<Methods['find']['result']> {
    const { source } = this;
    const slice = new Slice();
    const found: StepShown[] = [];
    const matches = finder(query, source);
    const most = Math.min(count, MOST_FOUND);
    let position = before === undefined ? source.end - 1 : Math.min(source.positionOf(before), source.end) - 1;
    let looked = 0;
    for (; position >= source.first && found.length < most; position--) {
      const step = source.at(position);
      looked++;
      if (step && matches(step)) {
        const hit = placeOfHit(query, step);
        found.push({ ...this.steps.shown(step), ...(hit !== undefined && { hit }) });
      }
      if ((looked & 63) === 0 && slice.isOver) await slice.next();
    }
    return { found, next: position >= source.first ? (source.at(position + 1)?.seq ?? null) : null, looked };
  }

  private timeline(params: Methods['timeline']['params']): Methods['timeline']['result'] {
    const { find } = params;
    const matches = find && asks(find) ? finder(find, this.source) : undefined;
    return this.drawer.shown(params, this.revision, matches && ((position) => matches(this.source.at(position)!)));
  }

  private lastInteractions({ count }: Methods['lastInteractions']['params']): Methods['lastInteractions']['result'] {
    const { index, source } = this;
    let found = 0;
    let from = Infinity;
    for (let i = index.moments.length - 1; i >= index.firstMoment && found < count; i--) {
      const { by, steps, first } = index.moments[i];
      if (by !== 'user' || steps === 0) continue;
      found++;
      from = Math.min(from, Math.max(first, index.first));
    }
    const [begin, end] = [source.at(from), source.at(source.end - 1)];
    return begin && end ? { from: begin.seq, to: end.seq, count: found } : null;
  }

  private near({ seq, by }: Methods['near']['params']): Methods['near']['result'] {
    const { source } = this;
    const position = Math.max(0, source.positionOf(seq));
    const to = Math.min(Math.max(position + by, source.first), source.end - 1);
    return { seq: source.at(to)?.seq ?? seq };
  }

  private at({ time }: Methods['at']['params']): Methods['at']['result'] {
    const { index, source } = this;
    const after = Math.min(index.firstAt(time), source.end - 1);
    const before = Math.max(after - 1, source.first);
    const nearer =
      Math.abs(index.steps.time(before) - time) <= Math.abs(index.steps.time(after) - time) ? before : after;
    return { seq: source.at(nearer)?.seq ?? null };
  }

  private changedPlaces({ seq, since }: Methods['changed']['params']): Methods['changed']['result'] {
    const { index, source } = this;
    const [from, to] = [this.steps.position(since), this.steps.position(seq)];
    const moment = index.has(from) ? index.steps.moment(from) : -1;
    const steps: Step[] = [];
    if (moment < 0) steps.push(source.at(to)!);
    else
      for (const at of index.stepsOf(moment)) {
        if (at > to || steps.length >= 200) break;
        if (at >= from) steps.push(source.at(at)!);
      }
    const all = pointersOf(steps, 40);
    // The statuses of tasks only where nothing else changed.
    const telling = all.filter((pointer) => !isStatusStore(parsePointer(pointer)[0]));
    return { pointers: telling.length > 0 ? telling : all };
  }

  /** What an end responds to. Each end adds what it can do beside it. */
  handlers(): RequestHandlers {
    const { index, steps, values, file, branches } = this;
    const readied =
      <P, R>(respond: (params: P) => R) =>
      async (params: P): Promise<Awaited<R>> => {
        await this.ready();
        return respond(params) as Awaited<R>;
      };
    return {
      status: readied(() => this.status()),
      moment: readied((params) => steps.momentOf(params)),
      step: readied((params) => steps.detail(params)),
      near: (params) => this.near(params),
      at: readied((params) => this.at(params)),
      timeline: readied((params) => this.timeline(params)),
      parts: (params) => values.parts(params),
      rows: (params) => values.rows(params),
      text: async ({ of }) => {
        const found = await values.valueOf(of);
        return jsonText(found?.value);
      },
      patch: ({ seqs }) => ({
        text: JSON.stringify(
          seqs.flatMap((seq) => encodePatch(this.steps.at(seq).step.changes)),
          undefined,
          2,
        ),
      }),
      changed: (params) => this.changedPlaces(params),
      linkedBy: (params) => values.linkedBy(params),
      tasks: readied((params) =>
        taskRunsShown(params, {
          ...{ source: this.source, index, underWay: this.around.underWay?.() },
          becauseOf: (position) => steps.becauseOf(this.source.at(position)!),
        }),
      ),
      figures: readied(async () => figuresShown(this.source, index, await this.around.figures?.())),
      history: readied((params) => values.history(params)),
      find: readied((params) => this.find(params)),
      lastInteractions: readied((params) => this.lastInteractions(params)),
      compareBranches: (params) => branches.compare(params),
      export: (params) => file.exported(params),
      writeTest: (params) => file.test(params),
      code: (params) => file.code(params),
      mute: ({ name, muted }) => {
        if (muted) index.muted.add(name);
        else index.muted.delete(name);
        index.cut(0);
        this.touch();
        return {};
      },
    };
  }
}
