// The graph of derived values: which reader reads what. Changes mark their readers, marks travel on to whoever read those, and
// nothing runs until a value is asked for. Asking brings a value up to date by asking what it read, in the order in which it
// was read, so that nothing runs twice, nothing runs in vain, and no reader sees a mix of old and new.
import {
  chainTooDeep,
  FloeError,
  isCloneError,
  isFrozenError,
  notCloneable,
  selectorCycle,
  stateEdited,
} from '../base/errors.js';
import { stopwatch } from '../base/host.js';
import { DEV } from '../base/mode.js';
import { probe } from './probe.js';

export const CLEAN = 0;
const MAYBE = 1;
export const DIRTY = 2;

/** Something that can be read and can change. */
export class Port {
  /** Its readers. Mostly there is one, and a set costs more than it. */
  one: Reader | undefined;
  more: Set<Reader> | undefined;
  /** The last run that read it: reading again in the same run adds nothing. */
  seen = 0;
  /** Goes up each time the value becomes another one, where that can be told. */
  version = 0;

  /** Whether it has a reader. */
  get read(): boolean {
    return this.one !== undefined || (this.more !== undefined && this.more.size > 0);
  }
  /** Tells all readers that the value here is another one; or with 1, that it may be. */
  mark(how: 1 | 2 = DIRTY): void {
    if (this.one !== undefined) this.one.stale(how);
    if (this.more !== undefined) for (const reader of this.more) reader.stale(how);
  }
  attach(reader: Reader): void {
    // Those in the set came before it.
    if (this.one === undefined && !this.more?.size) this.one = reader;
    else if (this.one !== reader) (this.more ??= new Set()).add(reader);
  }
  detach(reader: Reader): void {
    // None of the set takes the place of the one: looking for the first again and again is slow in a set that lost many.
    if (this.one === reader) this.one = undefined;
    else this.more?.delete(reader);
    if (!this.read) this.unused();
  }
  /** Brings the value up to date, where that takes something. */
  refresh(): void {}
  /** Called when the last reader went. */
  unused(): void {}
}

/** One side of something that can be read: it reports when its last reader has left. */
export class Facet extends Port {
  constructor(readonly of: Port) {
    super();
  }
  override unused(): void {
    this.of.unused();
  }
}

let running: Reader | undefined;
let runs = 0;

/** As many readers may ask each other in a chain; more would overflow the stack of some engine. */
const MOST_DEEP = 1000;
let depth = 0;
/** The reader that was asked from outside, where the chain began. */
let asked: Reader | undefined;

/** The reader that runs now, if one does. */
export const currentReader = (): Reader | undefined => running;

/** Runs `fn` without noting what it reads. */
export function unnoted<T>(fn: () => T): T {
  const outer = running;
  running = undefined;
  try {
    return fn();
  } finally {
    running = outer;
  }
}

/** Notes that the running reader has read this. */
export function note(port: Port): void {
  if (running) running.noted(port);
}

/** What a reader read after the first. */
export interface OtherReads {
  /** In the order in which they were read, and the version of each when it was. */
  readonly ports: Port[];
  readonly versions: number[];
  /** No longer read, and detached when the run is over: what the run reads again should not be evicted and made again. */
  dropped: Set<Port> | undefined;
}

/** A value derived from what it reads. Chains of them are as quick as each is small: what is rare has no member of its own. */
export abstract class Reader extends Port {
  state: 0 | 1 | 2 = DIRTY;
  /** What it read first, and the version of that when it was read; mostly it is all that it reads. */
  first: Port | undefined;
  private firstVersion = 0;
  rest: OtherReads | undefined;
  /** Who asked for it, while it runs: for the message about a circle. */
  below: Reader | undefined;
  private at = 0;
  value: unknown;
  problem: { readonly error: unknown } | undefined;
  private ended = false;
  /** Identifies the present run; 0 when it does not run. */
  run = 0;

  abstract readonly name: string;
  /** Run for its effect, not for a value: it may dispatch. */
  get effect(): boolean {
    return false;
  }
  /** Works the value out. */
  protected abstract derive(): unknown;
  /** Whether a new value that is another one counts as the same. */
  protected equal(_before: unknown, _after: unknown): boolean {
    return false;
  }
  /** Called once when the value may have changed, until it is brought up to date. */
  protected becameStale(): void {}

  /** Marks it and all its readers, those in one line without recursion. */
  stale(how: 1 | 2): void {
    let reader: Reader = this;
    for (;;) {
      const { state } = reader;
      if (how <= state) return;
      reader.state = how;
      if (state !== CLEAN) return;
      reader.becameStale();
      how = MAYBE;
      if (reader.more !== undefined) for (const other of reader.more) other.stale(MAYBE);
      if (reader.one === undefined) return;
      reader = reader.one;
    }
  }

  noted(port: Port): void {
    if (port.seen === this.run) return;
    port.seen = this.run;
    const at = this.at++;
    if (at === 0) {
      if (this.first !== port) {
        if (this.first !== undefined) this.unsubscribeFrom(0);
        this.first = port;
        port.attach(this);
      }
      this.firstVersion = port.version;
      return;
    }
    const rest = this.others();
    if (rest.ports[at - 1] !== port) {
      // The run took another way than the last one: drop the rest of that way.
      if (at <= rest.ports.length) this.unsubscribeFrom(at);
      rest.ports.push(port);
      port.attach(this);
    }
    rest.versions[at - 1] = port.version;
  }

  /** Drops the sources from the one with this number on. */
  private unsubscribeFrom(from: number): void {
    const rest = this.others();
    const dropped = (rest.dropped ??= new Set());
    if (from === 0 && this.first) {
      dropped.add(this.first);
      this.first = undefined;
    }
    for (const port of rest.ports.splice(Math.max(0, from - 1))) dropped.add(port);
    rest.versions.length = rest.ports.length;
  }
  private others(): OtherReads {
    return (this.rest ??= { ports: [], versions: [], dropped: undefined });
  }

  /** The value as of now. Throws what the derivation threw. */
  get(): unknown {
    if (this.state !== CLEAN) {
      if (running === undefined) {
        depth = 0;
        asked = this;
      }
      this.refresh();
    }
    if (running) running.noted(this);
    if (this.problem) throw this.problem.error;
    return this.value;
  }

  // Goes down to the sources by itself, without a function in between: long chains go deep.
  override refresh(): void {
    if (this.state === CLEAN) return;
    if (this.run !== 0) {
      note(this);
      throw selectorCycle(circleOf(this));
    }
    if (depth > MOST_DEEP) throw chainTooDeep(asked?.name ?? this.name, this.name);
    depth++;
    if (this.state === MAYBE) {
      const { first, rest } = this;
      let same = true;
      if (first !== undefined) {
        first.refresh();
        same = first.version === this.firstVersion;
        if (same && rest !== undefined) same = sameVersions(rest.ports, rest.versions);
      }
      if (same) {
        this.state = CLEAN;
        depth--;
        return;
      }
    }
    this.recompute();
    depth--;
  }

  /** Takes a value that needs no deriving. */
  protected take(value: unknown): void {
    this.state = CLEAN;
    if (Object.is(this.value, value) && this.version > 0) return;
    this.value = value;
    this.version++;
  }

  private recompute(): void {
    const outer = running;
    const level = depth;
    running = this;
    this.below = outer;
    const run = (this.run = ++runs);
    this.at = 0;
    const observer = probe;
    const began = observer === undefined ? 0 : stopwatch();
    const was = this.problem;
    const before = this.value;
    const isFirst = this.version === 0;
    let value: unknown;
    let problem: { readonly error: unknown } | undefined;
    let isSame = false;
    try {
      value = this.derive();
      // The first value is always a new one. Whoever compares may no more dispatch than whoever derives.
      isSame = !isFirst && !was && (Object.is(before, value) || this.equal(before, value));
    } catch (error) {
      problem = { error: DEV ? explained(error, this.name) : error };
    }
    running = outer;
    // What was thrown from further down left it where it was.
    depth = level;
    this.below = undefined;
    this.run = 0;
    if (this.at === 0 ? this.first !== undefined : this.rest !== undefined && this.at <= this.rest.ports.length)
      this.unsubscribeFrom(this.at);
    if (this.rest?.dropped) this.detachDropped(this.rest, run);
    // How deep a chain goes depends on who asks: asked from nearer, it may well have a value.
    this.state = problem !== undefined && isChainTooDeep(problem.error) ? DIRTY : CLEAN;
    if (this.ended) this.end();
    this.problem = problem;
    if (!isSame) {
      this.value = value;
      this.version++;
    }
    if (observer === undefined) return;
    const outcome = problem ? 'failed' : isFirst ? 'first' : isSame ? 'same' : 'changed';
    const after = problem ? problem.error : this.value;
    observer.computed(this, { outcome, ...(!isFirst && !was && { before }), after, took: stopwatch() - began });
  }

  /** @param run the run in which they were dropped; 0 where all are */
  private detachDropped(rest: OtherReads, run: number): void {
    // Where no other ran meanwhile, what was read in this run says so itself.
    const kept = run === runs ? undefined : new Set(rest.ports).add(this.first!);
    for (const port of rest.dropped!) if (kept ? !kept.has(port) : port.seen !== run) port.detach(this);
    rest.dropped = undefined;
  }

  /** Drops all that it read, for good: asked again, it works its value out each time. */
  end(): void {
    this.ended = true;
    this.state = DIRTY;
    this.unsubscribeFrom(0);
    this.detachDropped(this.others(), 0);
  }
}

/** Whether a reader reads a port that fits. */
export const readsAny = ({ first, rest }: Reader, fits: (port: Port) => boolean): boolean =>
  (first !== undefined && fits(first)) || (rest?.ports.some(fits) ?? false);

/** The names of those that ask each other in a circle. */
function circleOf(reader: Reader): string[] {
  const names = [reader.name];
  for (let one = running; one; one = one.below) {
    names.unshift(one.name);
    if (one === reader) break;
  }
  return names;
}

/** What code did to the state that it must not do, in words that say what to do instead. */
function explained(error: unknown, name: string): unknown {
  if (isCloneError(error)) return notCloneable(`the selector '${name}'`, error);
  return isFrozenError(error) ? stateEdited(`the selector '${name}'`, error) : error;
}

const isChainTooDeep = (error: unknown): boolean => error instanceof FloeError && error.code === 'FLOE_TOO_DEEP';

/** Brings sources up to date one after the other, as long as they are what they were. */
function sameVersions(ports: readonly Port[], versions: readonly number[]): boolean {
  for (let i = 0; i < ports.length; i++) {
    ports[i].refresh();
    if (ports[i].version !== versions[i]) return false;
  }
  return true;
}
