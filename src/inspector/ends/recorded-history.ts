// A recording as a history: a trace file that is read in slices, or lines that an application goes on sending.
import { FloeError, messageOf, Watchers } from '../../core/internal.js';
import type { Step } from '../../trace/index.js';
import { notATrace, sourceFor, Timeline, TraceReader, type TraceSource } from '../../trace/internal.js';
import type { ProblemShown } from '../protocol/protocol.js';
import { Slice } from '../protocol/slices.js';
import { WalkedStates } from './walked-states.js';

/** Checks that a text begins as a trace file does. @throws FLOE_NOT_A_TRACE, FLOE_TRACE_TOO_NEW */
export function checkBegin(text: string): void {
  for (const line of linesOf(text)) {
    new TraceReader().line(line);
    return;
  }
  throw notATrace(1, 'it is empty');
}

/** A history that grows line by line. */
export class RecordedHistory {
  private readonly reader = new TraceReader();
  private readonly timeline = new Timeline();
  readonly states = new WalkedStates(this.timeline, () => this.reader.states);
  private readonly watchers = new Watchers<[from: number | undefined]>((error) => this.fail(error));
  /** The share of the file that is read, while it is. */
  reading: number | null = null;
  private revisions = 0;
  problem: ProblemShown | null = null;
  private taking: Promise<void> = Promise.resolve();
  /** How many interactions were looked at, and the position of the first step of those since the last notification. */
  private noted = 0;
  private lateFrom = Infinity;
  readonly source: TraceSource = sourceFor({
    timeline: () => this.timeline,
    interactions: () => this.reader.interactions,
    redacted: () => this.reader.header?.redacted ?? [],
    application: () => this.reader.header?.application,
    stores: () => [],
    statesAt: (index, beside) => this.states.at(index, beside),
    revision: () => this.revisions,
    about: () => undefined,
    report: () => undefined,
    watch: this.watchers.add,
    // A file holds no secrets.
    conceal: (value) => value,
  });

  private changed(from?: number): void {
    this.watchers.tell(from);
  }

  /** A line cannot be parsed in parts: a long one has slices of its own. */
  private async takeLong(line: string, slice: Slice): Promise<void> {
    await slice.next();
    const parsed = this.reader.parse(line);
    await slice.next();
    if (parsed) this.added(this.reader.take(parsed));
    await slice.next();
  }

  private added(step: Step | undefined): void {
    if (step) this.add(step);
    else this.noteInteractions();
    const { timeline, reader } = this;
    // A line says which branch is shown.
    if (!step && reader.present !== timeline.branch) this.goTo(reader.present);
    if (timeline.line.length === 0) timeline.folded = reader.folded;
  }

  /** In a file interactions come after the steps that were recorded meanwhile, which may belong to other moments already. */
  private noteInteractions(): void {
    const { interactions } = this.reader;
    for (; this.noted < interactions.length; this.noted++) {
      const position = this.timeline.line.indexOf(interactions[this.noted].from);
      if (position >= 0) this.lateFrom = Math.min(this.lateFrom, position);
    }
  }

  /** Steps whose moments were made before their interaction was read are looked at once more. */
  private notifyLate(): void {
    if (this.lateFrom === Infinity) return;
    const from = this.lateFrom;
    this.lateFrom = Infinity;
    this.changed(from);
  }

  private add(step: Step): void {
    const { timeline } = this;
    const known = timeline.line.indexOf(step.seq);
    if (known >= 0 || timeline.peek(step.seq)) {
      // A later line takes the place of an earlier one: its states are others.
      if (known >= 0) this.forget(known);
      timeline.replace(step);
      if (known >= 0) this.changed(known);
      return;
    }
    if (step.after === (timeline.line.lastSeq ?? timeline.folded)) timeline.branch = step.branch;
    else {
      const from = timeline.take(step);
      this.forget(from);
      this.changed(from);
      return;
    }
    timeline.append(step);
  }

  private goTo(branch: number): void {
    const { timeline, reader } = this;
    const from = reader.begun.get(branch);
    if (from !== undefined) timeline.branches.begin(branch, from);
    const next = timeline.goTo(branch) + 1;
    this.forget(next);
    this.changed(next);
  }

  private forget(index: number): void {
    this.revisions++;
    this.states.forgetFrom(index);
  }

  /** A file is going to be read, line by line. */
  begin(): void {
    this.reading = 0;
    this.changed();
  }

  /** Takes lines that arrived, after those that came before; long work in slices. */
  lines(lines: readonly string[]): Promise<void> {
    this.taking = this.taking.then(async () => {
      await this.takeAll(lines);
      this.notifyLate();
      this.changed();
    });
    return this.taking;
  }

  /** Reads a whole file, in slices. */
  async read(text: string): Promise<void> {
    this.reading = 0;
    await this.takeAll(linesOf(text), (read) => {
      this.reading = read / text.length;
      this.changed();
    });
    this.finish();
  }

  /** @param progress called between slices, with how many characters are read */
  private async takeAll(lines: Iterable<string>, progress: (characters: number) => void = () => {}): Promise<void> {
    const slice = new Slice();
    let [count, characters] = [0, 0];
    try {
      for (const line of lines) {
        if (line.length > LONG_LINE) await this.takeLong(line, slice);
        else this.added(this.reader.line(line));
        characters += line.length + 1;
        if ((count++ & 15) !== 0 || !slice.isOver) continue;
        progress(characters);
        await slice.next();
      }
    } catch (error) {
      this.fail(error);
    }
  }

  /** The file is at its end. */
  finish(): void {
    try {
      const problem = this.problem ? undefined : this.reader.end();
      if (problem) this.problem = { code: problem.code, message: problem.message };
    } catch (error) {
      this.fail(error);
    }
    const { branches } = this.timeline;
    for (const [id, name] of this.reader.names) if (branches.has(id)) branches.rename(id, name);
    this.reading = null;
    this.notifyLate();
    this.changed();
  }

  /** What is wrong with the history. */
  fail(error: unknown): void {
    this.reading = null;
    this.problem = { code: error instanceof FloeError ? error.code : 'FLOE_TRACE_DAMAGED', message: messageOf(error) };
  }
}

function* linesOf(text: string): Iterable<string> {
  for (let from = 0; from < text.length;) {
    const found = text.indexOf('\n', from);
    const end = found < 0 ? text.length : found;
    yield text.slice(from, end);
    from = end + 1;
  }
}

/** Characters. */
const LONG_LINE = 100_000;
