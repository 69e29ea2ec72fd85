// The graph of derived values: who read what. Changes mark their readers, marks travel on to whoever read those, and
// nothing runs until somebody asks. Asking brings a value up to date by asking what it read, in the order in which it
// was read, so that nothing runs twice, nothing runs in vain, and nobody sees a mix of old and new.
import { selectorCycle } from './errors.js';

/** Something that can be read and can change. */
export class Port {
  private readers: Set<Reader> | undefined;
  /** The last run that read it: reading again in the same run adds nothing. */
  seen = 0;
  constructor(private readonly owner?: Port) {}

  /** Whether somebody reads it. */
  get read(): boolean {
    return this.readers !== undefined && this.readers.size > 0;
  }
  /** Tells all readers that the value here is another one. */
  mark(): void {
    if (this.readers) for (const reader of this.readers) reader.stale(DIRTY);
  }
  /** Tells all readers that the value here may be another one. */
  protected markMaybe(): void {
    if (this.readers) for (const reader of this.readers) reader.stale(MAYBE);
  }
  attach(reader: Reader): void {
    (this.readers ??= new Set()).add(reader);
  }
  detach(reader: Reader): void {
    if (this.readers?.delete(reader) && this.readers.size === 0) (this.owner ?? this).unused();
  }
  /** Called when the last reader went. */
  unused(): void {}
}

const CLEAN = 0;
const MAYBE = 1;
const DIRTY = 2;

let running: Reader | undefined;
let runs = 0;

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
  running?.noted(port);
}

/** A value derived from what it reads. */
export class Reader extends Port {
  private state: 0 | 1 | 2 = DIRTY;
  private sources: Port[] = [];
  /** For each source that is itself derived, its version when it was read. */
  private versions: number[] = [];
  private at = 0;
  private value: unknown;
  private problem: { readonly error: unknown } | undefined;
  private ended = false;
  /** Goes up each time the value becomes another one. */
  version = 0;
  /** Who asked for it, while it runs: for the message about a circle. */
  below: Reader | undefined;
  /** Identifies the present run. */
  run = 0;

  constructor(
    readonly name: string,
    private readonly derive: () => unknown,
    private readonly equal: (before: unknown, after: unknown) => boolean,
    /** Called once when the value may have changed, until it is brought up to date. */
    private readonly onStale?: () => void,
    private readonly onUnused?: () => void,
    /** Run for its effect, not for a value: it may dispatch. */
    readonly effect = false,
  ) {
    super();
  }

  stale(how: 1 | 2): void {
    if (how <= this.state) return;
    const fresh = this.state === CLEAN;
    this.state = how;
    if (!fresh) return;
    this.onStale?.();
    this.markMaybe();
  }

  noted(port: Port): void {
    if (port.seen === this.run) return;
    port.seen = this.run;
    const { sources, at } = this;
    if (sources[at] !== port) {
      // The run took another way than the last one: let go of the rest of that way.
      if (at < sources.length) this.letGo(at);
      sources.push(port);
      port.attach(this);
    }
    this.versions[at] = port instanceof Reader ? port.version : 0;
    this.at++;
  }

  private letGo(from: number): void {
    const dropped = this.sources.splice(from);
    const kept = new Set(this.sources);
    for (const port of dropped) if (!kept.has(port)) (this.dropped ??= new Set()).add(port);
  }
  // Detached only when the run is over: a source that is read again meanwhile should not be forgotten and made anew.
  private dropped: Set<Port> | undefined;

  /** The value as of now. Throws what the derivation threw. */
  get(): unknown {
    try {
      this.refresh();
    } finally {
      note(this);
    }
    if (this.problem) throw this.problem.error;
    return this.value;
  }

  /** Brings the value up to date. */
  refresh(): void {
    if (this.state === CLEAN) return;
    if (this.run !== 0) throw selectorCycle(chainTo(this));
    if (this.state === MAYBE && !this.sourcesChanged()) {
      this.state = CLEAN;
      return;
    }
    this.recompute();
  }

  private sourcesChanged(): boolean {
    for (let i = 0; i < this.sources.length; i++) {
      const source = this.sources[i];
      if (!(source instanceof Reader)) continue;
      source.refresh();
      if (source.version !== this.versions[i]) return true;
    }
    return false;
  }

  private recompute(): void {
    const outer = running;
    running = this;
    this.below = outer;
    this.run = ++runs;
    this.at = 0;
    let value: unknown;
    let problem: { readonly error: unknown } | undefined;
    try {
      value = this.derive();
    } catch (error) {
      problem = { error };
    } finally {
      running = outer;
      this.below = undefined;
      this.run = 0;
      if (this.at < this.sources.length) this.letGo(this.at);
      if (this.versions.length > this.sources.length) this.versions.length = this.sources.length;
      if (this.dropped) {
        const kept = new Set(this.sources);
        for (const port of this.dropped) if (!kept.has(port)) port.detach(this);
        this.dropped = undefined;
      }
    }
    this.state = CLEAN;
    if (this.ended) this.end();
    const first = this.version === 0;
    const equal = !first && !problem && !this.problem && this.equal(this.value, value);
    this.problem = problem;
    if (equal) return;
    this.value = value;
    this.version++;
  }

  override unused(): void {
    this.onUnused?.();
  }

  /** Lets go of all that it read. Asked again, it starts anew. */
  end(): void {
    this.ended = true;
    this.state = DIRTY;
    const sources = new Set(this.sources);
    this.sources = [];
    this.versions = [];
    for (const port of sources) port.detach(this);
  }
}

function chainTo(reader: Reader): string[] {
  const chain = [reader.name];
  for (let one = running; one; one = one.below) {
    chain.unshift(one.name);
    if (one === reader) break;
  }
  return chain;
}
