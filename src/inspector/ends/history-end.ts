// The end of a link that shows a history: it responds to whatever can be read from recorded steps. A running application
// and a file have it in common.
import { encode, isKeyed, lookUp, parsePointer } from '../../core/internal.js';
import {
  encodePatch,
  literal,
  noSuchStep,
  patched,
  traceLines,
  type TraceSource,
  ValueTrail,
  withTitles,
} from '../../trace/internal.js';
import { writeTest, type Step } from '../../trace/index.js';
import { changesBetween, changesOfSteps, pointersOf } from '../history/changes.js';
import { asks, finder } from '../history/finding.js';
import { momentShown, type ObservedOf } from '../history/moments.js';
import type { Methods, RowsShown, Status, StepDetail, StepShown, ValuePlace } from '../protocol/protocol.js';
import { partsWithLinks, rowsShown, rowsThatLink, type Links } from '../history/rows.js';
import type { Handlers } from '../protocol/rpc.js';
import { Slice } from '../protocol/slices.js';
import { isStatusStore, StepIndex } from '../history/step-index.js';
import { TimelineDrawer } from '../history/timeline.js';
import { jsonText, partsShown, valueAt, valueShown } from '../history/values.js';
import { causeSentence, labelOf, nameOf } from '../history/words.js';

/** So many places of a change are given. */
const MOST_CHANGES = 100;
/** So many parts of a value are given at once. */
const MOST_PARTS = 500;
/** Characters of a file that are sent at once. */
const PART = 500_000;
/** So many values of a query are looked at before the response says how far it came. */
const MOST_FOUND = 200;

/** What an end knows beside the history. */
export interface Around {
  /** What the application shows. */
  shown(): Pick<Status, 'cursor' | 'isLive' | 'isPaused'>;
  readonly isLive: boolean;
  /** What followed steps, if that was observed. */
  readonly observedOf: ObservedOf;
  /** A derived value. */
  derivedValue?(id: number): { readonly value: unknown } | undefined;
  /** How much of the history is read, while it is; and what is wrong with it. */
  reading?(): Pick<Status, 'reading' | 'problem'>;
  /** Resolved when the states of a step can be worked out. */
  stateReady?(position: number): Promise<void> | undefined;
  /** While a file is read: the last position whose states can be worked out at once. */
  near?(): number | undefined;
  /** Links of rows, where the model is known. */
  links?: Links;
}

export class HistoryEnd {
  readonly index: StepIndex;
  private readonly drawer: TimelineDrawer;
  private revision = 0;
  private scanning: Promise<void> | undefined;
  private readonly stop: () => void;
  private readonly sentences = new Map<number, string>();

  /** @param changed called when something changed that the other end may want to know */
  constructor(
    readonly source: TraceSource,
    private readonly around: Around,
    private readonly changed: () => void,
  ) {
    this.index = new StepIndex(source);
    this.drawer = new TimelineDrawer(source, this.index);
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
    // Moments may have other numbers now.
    this.sentences.clear();
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
    // What is not indexed yet counts at the next time.
    if (this.scanning === undefined && source.end - index.end < 2000) index.scan();
    const [first, last] = [source.at(source.first), source.at(source.end - 1)];
    return {
      revision: this.revision,
      steps: source.end - source.first,
      firstSeq: first?.seq ?? null,
      lastSeq: last?.seq ?? null,
      from: first?.time ?? null,
      to: last?.time ?? null,
      moments: index.moments.length,
      problems: index.problems,
      ...this.around.shown(),
      branch: source.branch,
      branches: source.branches.map(({ id, name, from, tip }) => ({ id, name, from, tip })),
      folded: source.folded,
      ...(this.around.reading?.() ?? { reading: null, problem: null }),
      muted: [...index.muted],
      interactions: source.interactions.length,
    };
  }

  private position(seq: number): number {
    const position = this.source.positionOf(seq);
    if (position < 0) {
      const [first, last] = [this.source.at(this.source.first), this.source.at(this.source.end - 1)];
      throw noSuchStep(seq, first?.seq ?? 0, last?.seq ?? 0);
    }
    return position;
  }

  /** A step and its position, which is -1 on another branch. */
  private stepAt(seq: number): { readonly step: Step; readonly position: number } {
    const step = this.source.step(seq);
    if (!step) this.position(seq);
    return { step: step!, position: this.source.positionOf(seq) };
  }

  private async statesAt(position: number): Promise<unknown> {
    await this.around.stateReady?.(position);
    return this.source.statesAt(position);
  }

  stepShown(step: Step): StepShown {
    const { seq, time, kind, outcome, reason, stores, excluded, note, run } = step;
    const position = this.source.positionOf(seq);
    return {
      seq,
      time,
      kind,
      label: labelOf(step, this.source),
      name: nameOf(step),
      outcome: run?.phase === 'failed' ? 'failed' : run?.phase === 'cancelled' ? 'cancelled' : outcome,
      ...(reason !== undefined && { reason }),
      stores,
      ...(excluded && { excluded }),
      ...(note !== undefined && { note }),
      moment: position < 0 ? -1 : this.index.moment(position),
    };
  }

  private async stepDetail({ seq }: { readonly seq: number }): Promise<StepDetail> {
    await this.ready();
    const { step, position } = this.stepAt(seq);
    const { action, run, took, stack, problems = [], branch, onTrust, orphan, kind, count, group } = step;
    if (position >= 0) await this.around.stateReady?.(position);
    const { changes, count: changeCount } =
      position < 0
        ? { changes: [], count: step.changes.length }
        : changesOfSteps(this.source, [position], MOST_CHANGES);
    return {
      ...this.stepShown(step),
      position: position - this.source.first,
      cause: causeSentence(step),
      payload: action && 'payload' in action ? valueShown(action.payload) : null,
      arguments: run && run.args.length > 0 ? valueShown(run.args) : null,
      changes,
      changeCount,
      took,
      ...(stack !== undefined && { stack }),
      problems,
      observed: this.around.observedOf([seq], MOST_CHANGES),
      branch,
      ...(onTrust && { onTrust }),
      ...(orphan && { orphan }),
      excludable: kind === 'action' && position >= 0,
      ...(count !== undefined && { count }),
      ...(group !== undefined && { group }),
    };
  }

  private async momentOf({ number, seq, newest }: Methods['moment']['params']): Promise<Methods['moment']['result']> {
    await this.ready();
    const { index } = this;
    let wanted = number;
    if (wanted === undefined && seq !== undefined) {
      const position = this.source.positionOf(seq);
      wanted = position < 0 ? undefined : index.moment(position);
      // A step that belongs to none, as a coalesced one: the one before it.
      for (let at = position; (wanted === undefined || wanted < 0) && at >= index.first; at--)
        wanted = index.moment(at);
    }
    if (wanted === undefined && (newest ?? true)) wanted = this.newestReady();
    if (wanted === undefined || wanted < 0 || wanted >= index.moments.length) return null;
    await this.around.stateReady?.(index.moments[wanted].last);
    return momentShown(wanted, this.source, index, this.around.isLive, this.around.observedOf);
  }

  /** The newest moment; while a file is read, the newest one whose states are worked out. */
  private newestReady(): number {
    const { index } = this;
    const near = this.around.near?.();
    if (near === undefined || near >= index.end - 1) return index.newest;
    for (let at = Math.min(near, index.end - 1); at >= index.first; at--) {
      const moment = index.moment(at);
      if (moment >= 0 && index.moments[moment].last <= near) return moment;
    }
    return index.newest;
  }

  /** The sentence of the moment of a step. */
  private becauseOf(step: Step): string {
    const position = this.source.positionOf(step.seq);
    const moment = position < 0 ? -1 : this.index.moment(position);
    if (moment < 0) return causeSentence(step);
    const known = this.sentences.get(moment);
    if (known !== undefined) return known;
    const note = this.index.moments[moment];
    // A moment of very many steps would be put together for each.
    if (note.steps > 200) return causeSentence(step);
    const sentence = momentShown(moment, this.source, this.index, this.around.isLive, () => null)?.sentence ?? '';
    this.sentences.set(moment, sentence);
    return sentence;
  }

  private async valueOf(of: ValuePlace): Promise<{ readonly value: unknown } | undefined> {
    if (of.in === 'derived') {
      const found = this.around.derivedValue?.(of.id);
      return found && valueAt(found.value, of.pointer);
    }
    const { step, position } = this.stepAt(of.seq);
    if (of.in === 'payload') return step.action && valueAt(step.action.payload, of.pointer);
    if (of.in === 'arguments') return step.run && valueAt(step.run.args, of.pointer);
    return lookUp(await this.statesAt(of.before ? position - 1 : position), parsePointer(of.pointer));
  }

  private async parts({
    of,
    from,
    count,
    since,
    first = [],
  }: Methods['parts']['params']): Promise<Methods['parts']['result']> {
    const found = await this.valueOf(of);
    if (!found) return { value: null, total: 0, parts: [] };
    const keys = parsePointer(of.pointer);
    const before =
      of.in !== 'state' || since === undefined
        ? undefined
        : lookUp(await this.statesAt(this.position(since) - 1), keys);
    const isNew = of.in === 'state' && since !== undefined && before === undefined && keys.length > 0;
    const window = { from, count: Math.min(count, MOST_PARTS), first };
    const { total, parts } = partsShown(found.value, isNew ? undefined : before, keys, window);
    const { links } = this.around;
    const linked =
      of.in === 'state' && links
        ? partsWithLinks(links, await this.statesAt(this.position(of.seq)), keys, parts)
        : parts;
    return { value: valueShown(found.value), total, parts: linked };
  }

  private async rows({ seq, pointer, from, count, since, first = [] }: Methods['rows']['params']): Promise<RowsShown> {
    const keys = parsePointer(pointer);
    const states = await this.statesAt(this.position(seq));
    const table = lookUp(states, keys)?.value;
    if (!isKeyed(table)) return { columns: [], total: 0, rows: [] };
    const before = since === undefined ? undefined : lookUp(await this.statesAt(this.position(since) - 1), keys);
    const window = { from, count: Math.min(count, MOST_PARTS), first };
    return rowsShown(table, before, keys, window, states, this.around.links);
  }

  private async linkedBy({ seq, pointer }: Methods['linkedBy']['params']): Promise<Methods['linkedBy']['result']> {
    const states = await this.statesAt(this.position(seq));
    return rowsThatLink(this.around.links, states, parsePointer(pointer));
  }

  private async history({ pointer, seq, count }: Methods['history']['params']): Promise<Methods['history']['result']> {
    await this.ready();
    const position = this.position(seq);
    const states = (await this.statesAt(position)) as Readonly<Record<string, unknown>>;
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
        ...this.stepShown(change.step),
        pointer: change.pointer,
        before: 'before' in change ? valueShown(change.before) : null,
        after: 'after' in change ? valueShown(change.after) : null,
        because: this.becauseOf(change.step),
      });
    }
    return { entries, more: false };
  }

  private async find({ before, count, ...query }: Methods['find']['params']): Promise<Methods['find']['result']> {
    await this.ready();
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
      if (step && matches(step)) found.push(this.stepShown(step));
      if ((looked & 63) === 0 && slice.isOver) await slice.next();
    }
    return { found, next: position >= source.first ? (source.at(position + 1)?.seq ?? null) : null, looked };
  }

  private async timeline(params: Methods['timeline']['params']): Promise<Methods['timeline']['result']> {
    await this.ready();
    const { find } = params;
    const matches = find && asks(find) ? finder(find, this.source) : undefined;
    return this.drawer.shown(params, this.revision, matches && ((position) => matches(this.source.at(position)!)));
  }

  private near({ seq, by }: Methods['near']['params']): Methods['near']['result'] {
    const { source } = this;
    const position = Math.max(0, source.positionOf(seq));
    const to = Math.min(Math.max(position + by, source.first), source.end - 1);
    return { seq: source.at(to)?.seq ?? seq };
  }

  private async at({ time }: Methods['at']['params']): Promise<Methods['at']['result']> {
    await this.ready();
    const { index, source } = this;
    const after = Math.min(index.firstAt(time), source.end - 1);
    const before = Math.max(after - 1, source.first);
    const nearer = Math.abs(index.time(before) - time) <= Math.abs(index.time(after) - time) ? before : after;
    return { seq: source.at(nearer)?.seq ?? null };
  }

  private async compareBranches({
    a,
    b,
  }: Methods['compareBranches']['params']): Promise<Methods['compareBranches']['result']> {
    const [from, to] = [await this.statesOfBranch(a), await this.statesOfBranch(b)];
    const { changes, count } = changesBetween(from, to, this.source.at(this.source.end - 1)?.seq ?? 0, MOST_CHANGES);
    return { changes, changeCount: count };
  }

  private async statesOfBranch(branch: number): Promise<Readonly<Record<string, unknown>>> {
    const { source } = this;
    const { common, steps } = source.stepsOf(branch);
    const states = (await this.statesAt(branch === source.branch ? source.end - 1 : common)) as Readonly<
      Record<string, unknown>
    >;
    return branch === source.branch ? states : patched(states, steps);
  }

  private async exported({ from }: Methods['export']['params']): Promise<Methods['export']['result']> {
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
  private exporting: Iterator<string, undefined> | undefined;

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

  private test({ from, to, model }: Methods['writeTest']['params']): Methods['writeTest']['result'] {
    const { stores } = this.source;
    return { text: writeTest(this.lines(), { from, to, model, ...(stores.length > 0 && { stores }) }) };
  }

  private code({ seq, as }: Methods['code']['params']): Methods['code']['result'] {
    const { step } = this.stepAt(seq);
    const { action } = step;
    if (as === 'json' || !action) {
      const plain = action ?? { fact: step.fact, ...(step.run && { task: step.run.task, arguments: step.run.args }) };
      return { text: JSON.stringify(encode(plain), undefined, 2) };
    }
    return { text: `runtime.dispatch(${literal(action)});` };
  }

  /** What an end responds to. Each end adds what it can do beside it. */
  handlers(): Handlers {
    const { source, index } = this;
    return {
      status: async () => {
        await this.ready();
        return this.status();
      },
      moment: (params) => this.momentOf(params),
      step: (params) => this.stepDetail(params),
      near: (params) => this.near(params),
      at: (params) => this.at(params),
      timeline: (params) => this.timeline(params),
      parts: (params) => this.parts(params),
      rows: (params) => this.rows(params),
      text: async ({ of }) => {
        const found = await this.valueOf(of);
        return jsonText(found?.value);
      },
      patch: ({ seqs }) => ({
        text: JSON.stringify(
          seqs.flatMap((seq) => encodePatch(this.stepAt(seq).step.changes)),
          undefined,
          2,
        ),
      }),
      changed: ({ seq, since }) => {
        const [from, to] = [this.position(since), this.position(seq)];
        const moment = index.has(to) ? index.moment(to) : -1;
        const steps: Step[] = [];
        for (let at = from; at <= to && steps.length < 200; at++)
          if (at === to || (index.has(at) && index.moment(at) === moment)) steps.push(source.at(at)!);
        const all = pointersOf(steps, 40);
        // The statuses of tasks only where nothing else changed.
        const telling = all.filter((pointer) => !isStatusStore(parsePointer(pointer)[0]));
        return { pointers: telling.length > 0 ? telling : all };
      },
      linkedBy: (params) => this.linkedBy(params),
      history: (params) => this.history(params),
      find: (params) => this.find(params),
      compareBranches: (params) => this.compareBranches(params),
      export: (params) => this.exported(params),
      writeTest: (params) => this.test(params),
      code: (params) => this.code(params),
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
