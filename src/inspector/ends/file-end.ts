// The inspected end of a recording: a trace file that is read in slices, or lines that an application goes on sending.
import { FloeError, messageOf } from '../../core/internal.js';
import type { Step } from '../../trace/index.js';
import { type Known, sourceFor, type States, Timeline, TraceReader, type TraceSource } from '../../trace/internal.js';
import { NO_PAGE, NOT_OBSERVED } from '../protocol/errors.js';
import { HistoryEnd } from './history-end.js';
import { LINK_VERSION, type Ability, type Channel, type ProblemShown } from '../protocol/protocol.js';
import { answer } from '../protocol/rpc.js';
import { onceAFrame, Slice } from '../protocol/slices.js';

/** What is missing where there is only a recording. */
const MISSING: Readonly<Partial<Record<Ability, string>>> = {
  travel: NO_PAGE,
  exclude:
    'Leaving a step out computes the others without it, which needs the model: floe inspect TRACE --model MODULE.',
  send: 'Sending an action needs the model: floe inspect TRACE --model MODULE.',
  derived: 'Derived values need the model: floe inspect TRACE --model MODULE.',
  observe: NOT_OBSERVED,
};

/** A history that grows line by line. */
export class RecordedHistory {
  private readonly reader = new TraceReader();
  private readonly timeline = new Timeline();
  private readonly listeners = new Set<(from: number | undefined) => void>();
  private share: number | null = null;
  private revisions = 0;
  problem: ProblemShown | null = null;
  /** The states after the last step up to which they were worked out; those on the way are kept now and then. */
  private walked: { position: number; states: States } | undefined;
  private isWalking = false;
  private taking: Promise<void> = Promise.resolve();
  /** How many interactions were looked at, and the position of the first step of those since the last notification. */
  private noted = 0;
  private lateFrom = Infinity;
  private waiting: {
    readonly position: number;
    readonly resolve: () => void;
    readonly reject: (error: unknown) => void;
  }[] = [];
  readonly source: TraceSource = sourceFor({
    timeline: () => this.timeline,
    folds: () => 0,
    interactions: () => this.reader.interactions,
    redacted: () => this.reader.header?.redacted ?? [],
    stores: () => [],
    statesAt: (index, beside) => this.statesAt(index, beside),
    revision: () => this.revisions,
    about: () => undefined,
    report: () => undefined,
    watch: (listener) => {
      this.listeners.add(listener);
      return () => void this.listeners.delete(listener);
    },
    // A file holds no secrets.
    conceal: (value) => value,
  });

  get reading(): number | null {
    return this.share;
  }

  private changed(from?: number): void {
    for (const listener of this.listeners) listener(from);
  }

  /** Takes one line. @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW */
  private take(line: string): void {
    this.added(this.reader.line(line));
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
    if (from !== undefined) timeline.begin(branch, from);
    const next = timeline.goTo(branch) + 1;
    this.forget(next);
    this.changed(next);
  }

  private forget(index: number): void {
    this.revisions++;
    this.timeline.forgetFrom(index);
    if (this.walked && this.walked.position >= index) this.walked = undefined;
  }

  /** A file is going to be read, line by line. */
  begin(): void {
    this.share = 0;
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
    this.share = 0;
    await this.takeAll(linesOf(text), (read) => {
      this.share = read / text.length;
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
        else this.take(line);
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
    for (const [id, name] of this.reader.names) this.nameBranch(id, name);
    this.share = null;
    this.notifyLate();
    this.changed();
  }

  private nameBranch(id: number, name: string): void {
    if (this.timeline.branches.some((branch) => branch.id === id)) this.timeline.rename(id, name);
  }

  /** What is wrong with the history. */
  fail(error: unknown): void {
    this.share = null;
    this.problem = { code: error instanceof FloeError ? error.code : 'FLOE_TRACE_DAMAGED', message: messageOf(error) };
  }

  // ---- states ----

  private statesAt(index: number, beside: readonly Known[] = []): States {
    const known: Known[] = [{ index: -1, states: this.reader.states }, ...beside];
    if (this.walked) known.push({ index: this.walked.position, states: this.walked.states });
    return this.timeline.statesAt(index, known);
  }

  /** Resolves when the states of a position are near to some that are known. */
  stateReady(position: number): Promise<void> | undefined {
    if (this.isNear(position)) return undefined;
    return new Promise((resolve, reject) => {
      this.waiting.push({ position, resolve, reject });
      if (!this.isWalking) void this.walk();
    });
  }

  /** The last position whose states can be worked out at once. */
  get near(): number {
    return (this.walked?.position ?? -1) + NEAR;
  }

  private isNear(position: number): boolean {
    return position <= this.near || position >= this.timeline.line.length;
  }

  /** Works out states along the line as far as a request waits for them, and keeps some. */
  private async walk(): Promise<void> {
    this.isWalking = true;
    const slice = new Slice();
    try {
      while (this.resolveNear()) {
        this.stride();
        if (slice.isOver) await slice.next();
      }
    } catch (error) {
      for (const { reject } of this.waiting.splice(0)) reject(error);
    }
    // Before a request that waited goes on: it may wait for a later state at once.
    this.isWalking = false;
  }

  /** @returns whether a request still waits */
  private resolveNear(): boolean {
    this.waiting = this.waiting.filter(({ position, resolve }) => {
      if (!this.isNear(position)) return true;
      resolve();
      return false;
    });
    return this.waiting.length > 0;
  }

  private stride(): void {
    const { timeline } = this;
    const from = this.walked?.position ?? -1;
    const to = Math.min(from - (from % STRIDE) + STRIDE, timeline.line.length - 1);
    const states = this.statesAt(to);
    this.walked = { position: to, states };
    if (to % KEPT_EVERY === 0) timeline.keep(states, timeline.line.seqAt(to), true);
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
/** Steps whose patches are applied at once. */
const STRIDE = 100;
/** After so many steps states are kept. */
const KEPT_EVERY = 500;
/** So many steps from known states are worked out at once. */
const NEAR = 600;

/** Lets an inspector at the other end of a channel look into a recording. Returns a function that ends it. */
export function linkRecording(
  recorded: RecordedHistory,
  channel: Channel,
  {
    name,
    kind = 'file',
    can = [],
  }: { readonly name: string; readonly kind?: 'live' | 'file'; readonly can?: readonly Ability[] },
): () => void {
  const changed = onceAFrame(() => link.notify('changed', history.status()));
  const missing = Object.fromEntries(Object.entries(MISSING).filter(([ability]) => !can.includes(ability as Ability)));
  const hello = () => ({ name, kind, can, missing, redacted: recorded.source.redacted, actions: [] });
  const history = new HistoryEnd(
    recorded.source,
    {
      shown: () => ({
        cursor: recorded.source.at(recorded.source.end - 1)?.seq ?? null,
        isLive: true,
        isPaused: false,
      }),
      isLive: kind === 'live',
      observedOf: () => null,
      reading: () => ({ reading: recorded.reading, problem: recorded.problem }),
      stateReady: (position) => recorded.stateReady(position),
      near: () => (recorded.reading === null ? undefined : recorded.near),
    },
    changed.call,
  );
  const link = answer(channel, { ...history.handlers(), hello: () => ({ version: LINK_VERSION, ...hello() }) });
  return () => {
    link.end();
    changed.end();
    history.end();
  };
}
