// The link protocol: what an inspector and the application that it inspects say to each other. JSON-RPC 2.0 messages; each
// message is plain JSON. `docs/reference/link-protocol.md` explains it and `docs/schemas/link-message.schema.json`
// describes a message. Longer than other files: the protocol is read as a whole. Its words are the protocol's own: a name that changes inside Floe changes none of them.

/** The version of the protocol. Raise it when an inspector of the version before would misread a message. */
export const LINK_VERSION = 1;

// ---- messages (JSON-RPC 2.0) ----

export interface LinkRequest {
  readonly jsonrpc: '2.0';
  readonly id: number;
  readonly method: string;
  readonly params?: unknown;
}
export interface LinkResponse {
  readonly jsonrpc: '2.0';
  readonly id: number | null;
  readonly result?: unknown;
  readonly error?: LinkError;
}
export interface LinkNotification {
  readonly jsonrpc: '2.0';
  readonly method: string;
  readonly params?: unknown;
}
/** What goes over the link, either way: a message of JSON-RPC 2.0. */
export type LinkMessage = LinkRequest | LinkResponse | LinkNotification;

export interface LinkError {
  /** Of JSON-RPC: -32601 for an unknown method, -32602 for wrong parameters, -32000 for what the application refused. */
  readonly code: number;
  readonly message: string;
  readonly data?: { readonly code?: string };
}

/** What carries messages, in order. */
export interface Channel {
  send(message: LinkMessage): void;
  /** Calls `listener` with each message of the other end. Returns a function that stops it. */
  listen(listener: (message: LinkMessage) => void): () => void;
}

// ---- what the inspected end is ----

/** What an inspected end may be asked to do beyond showing its history. */
export type Ability =
  | 'travel'
  | 'exclude'
  | 'send'
  | 'derived'
  | 'observe'
  | 'branches'
  | 'note'
  | 'run'
  | 'edit'
  | 'stored'
  | 'model'
  | 'replace'
  /** It sends lines of a trace file, and the inspector reads them: the smallest end that there is. */
  | 'lines';

export interface Hello {
  readonly version: number;
  /** The title of the page, or the name of the file. */
  readonly name: string;
  /** `live`: a running application. `file`: a recording, which is over. */
  readonly kind: 'live' | 'file';
  readonly can: readonly Ability[];
  /** Why something cannot be done, in a sentence. */
  readonly missing: Readonly<Partial<Record<Ability, string>>>;
  readonly redacted: readonly string[];
  /** The types of the actions that can be sent. */
  readonly actions: readonly string[];
}

export interface Status {
  /** Goes up with each change. */
  readonly revision: number;
  /** How many steps the present line holds. */
  readonly steps: number;
  readonly firstSeq: number | null;
  readonly lastSeq: number | null;
  /** Epoch milliseconds of the first and of the last step. */
  readonly from: number | null;
  readonly to: number | null;
  readonly moments: number;
  /** The number of the first moment that can still be shown. */
  readonly firstMoment: number;
  /** How many steps failed, were refused, or broke a rule. */
  readonly problems: number;
  /** The step whose state the application shows. */
  readonly cursor: number | null;
  readonly isLive: boolean;
  readonly isPaused: boolean;
  /** The runtime was closed: nothing is recorded any more. */
  readonly isClosed: boolean;
  /** What was recorded, where that is known. */
  readonly application: { readonly name: string; readonly version?: string } | null;
  readonly branch: number;
  readonly branches: readonly BranchShown[];
  /** The last step that was folded away. */
  readonly folded: number | null;
  /** The share of the file that is read, while it is. */
  readonly reading: number | null;
  /** What is wrong with the history: a file that was cut short. */
  readonly problem: ProblemShown | null;
  readonly muted: readonly string[];
  /** How many interactions there are. */
  readonly interactions: number;
}

export interface BranchShown {
  readonly id: number;
  readonly name: string;
  readonly from: number | null;
  readonly tip: number;
}
export interface ProblemShown {
  readonly code: string;
  readonly message: string;
}

// ---- values ----

/** A value, in a few words. */
export interface ValueShown {
  readonly kind:
    | 'text'
    | 'number'
    | 'boolean'
    | 'null'
    | 'undefined'
    | 'date'
    | 'bigint'
    | 'map'
    | 'set'
    | 'list'
    | 'object'
    | 'table'
    | 'rows'
    | 'redacted'
    | 'error'
    | 'other';
  /** On one line; at most 160 characters. */
  readonly text: string;
  /** There is more than `text` shows. */
  readonly cut?: true;
  /** How many parts it has. */
  readonly size?: number;
}

/** Where a value stands. Pointers are JSON Pointers (RFC 6901). */
export type ValuePlace =
  /** In the state after a step; `before: true` is the state before it. */
  | { readonly in: 'state'; readonly seq: number; readonly pointer: string; readonly before?: boolean }
  | { readonly in: 'payload'; readonly seq: number; readonly pointer: string }
  | { readonly in: 'arguments'; readonly seq: number; readonly pointer: string }
  /** In a derived value. */
  | { readonly in: 'derived'; readonly id: number; readonly pointer: string };

export interface PartShown {
  readonly key: string;
  readonly pointer: string;
  readonly value: ValueShown;
  /** How it differs from the state before: itself, or a part of it. */
  readonly changed?: 'added' | 'removed' | 'replaced' | 'inside';
  readonly before?: ValueShown;
  /** Of a link: the row that it leads to. */
  readonly link?: { readonly type: string; readonly key: string; readonly pointer: string };
  /** Of a row: how many rows link to it. */
  readonly linkedBy?: number;
}
export interface PartsShown {
  readonly value: ValueShown | null;
  readonly total: number;
  readonly parts: readonly PartShown[];
}

/** A row of a table, with a cell for each column; `null` where the row has no such field. */
export interface RowShown extends Pick<PartShown, 'key' | 'pointer' | 'changed' | 'linkedBy'> {
  readonly cells: readonly (Pick<PartShown, 'value' | 'changed' | 'before' | 'link'> | null)[];
}
export interface RowsShown {
  /** The fields of the rows, in the order in which they come. */
  readonly columns: readonly string[];
  readonly total: number;
  readonly rows: readonly RowShown[];
}

// ---- steps ----

export type Outcome = 'applied' | 'unchanged' | 'waiting' | 'stopped' | 'refused' | 'failed' | 'reverted';

export interface StepShown {
  readonly seq: number;
  readonly time: number;
  readonly kind: 'action' | 'fact';
  /** What happened, in a few words: its title, or its names. */
  readonly label: string;
  /** The type of its action, the name of its task, or the fact. */
  readonly name: string;
  readonly outcome: Outcome | 'cancelled';
  readonly reason?: string;
  readonly stores: readonly string[];
  readonly excluded?: true;
  readonly note?: string;
  /** The moment that it belongs to. */
  readonly moment: number;
  /** Of one that was found by a text: the place that holds it, as a pointer into the state. */
  readonly hit?: string;
}

export interface ChangeShown {
  /** JSON Pointer into the state tree. */
  readonly pointer: string;
  /** The place in words: `visit v0237 · place`. */
  readonly label: string;
  readonly before: ValueShown | null;
  readonly after: ValueShown | null;
  /** Values in between, in order. */
  readonly through: readonly ValueShown[];
  /** It is as it was before. */
  readonly restored?: true;
  /** The step that changed it last. */
  readonly seq: number;
  /** Of a derived value: its name and its number. */
  readonly derived?: { readonly name: string; readonly id: number };
  /** Of a derived value with parts: what is different in it, in a few words. */
  readonly difference?: string;
}

/** What followed a step, observed while an inspector was attached. */
export interface Observed {
  readonly computed: readonly ComputedShown[];
  readonly computedCount: number;
  readonly forNothing: number;
  readonly notified: number;
  /** Storages written: the store, and milliseconds after the step. */
  readonly stored: readonly { readonly store: string; readonly after: number }[];
}
export interface ComputedShown {
  readonly id: number;
  readonly name: string;
  readonly outcome: 'first' | 'changed' | 'same' | 'failed';
  readonly before: ValueShown | null;
  readonly after: ValueShown | null;
  /** Of a value with parts that changed: what is different in it, in a few words; '' where it is an equal one, made again. */
  readonly difference?: string;
  /** Milliseconds. */
  readonly took: number;
  /** Watchers are notified of it. */
  readonly watched: boolean;
}

export interface StepDetail extends StepShown {
  readonly position: number;
  readonly cause: string;
  readonly payload: ValueShown | null;
  readonly arguments: ValueShown | null;
  readonly changes: readonly ChangeShown[];
  readonly changeCount: number;
  readonly took: number;
  readonly stack?: string;
  readonly problems: readonly string[];
  /** `null` where no inspector was attached. */
  readonly observed: Observed | null;
  readonly branch: number;
  readonly onTrust?: true;
  readonly orphan?: true;
  /** Whether it can be left out. */
  readonly excludable: boolean;
  /** How many actions it sums up. */
  readonly count?: number;
  readonly group?: number;
}

/** A line of the tree of causes. */
export interface CauseShown {
  readonly depth: number;
  readonly kind: 'interaction' | 'run' | 'step' | 'quiet';
  readonly label: string;
  readonly detail: string;
  readonly outcome: Outcome | 'running' | 'cancelled' | 'pending';
  readonly seq: number | null;
  readonly excluded?: true;
}

export interface Moment {
  /** Counts from 0. */
  readonly number: number;
  /** What did it. */
  readonly by: 'user' | 'task' | 'code' | 'other';
  readonly time: number;
  readonly sentence: string;
  /** The numbers of its first and its last step; `null` where it has none. */
  readonly first: number | null;
  readonly last: number | null;
  /** The step whose state it ended with: its last one; of one without steps the one before it. */
  readonly at: number | null;
  /** Of one that dispatched nothing: an action was to be expected. */
  readonly expected?: true;
  /** The moments after it; of one that was asked for as the newest also the steps in them that failed, and the first of these. */
  readonly newer: {
    readonly moments: number;
    readonly failed: number;
    readonly failedSeq: number | null;
    /** Some of them the user began. */
    readonly byUser: boolean;
  };
  readonly steps: number;
  /** The number of its first action; what is left out, or sent again, where no step is chosen. */
  readonly action: number | null;
  /** A run of it is under way, or an optimistic action is pending. */
  readonly isGrowing: boolean;
  readonly outcome: Outcome | 'cancelled' | 'nothing';
  readonly reason?: string;
  readonly changes: readonly ChangeShown[];
  readonly changeCount: number;
  readonly causes: readonly CauseShown[];
  readonly causeCount: number;
  /** Changes of task statuses in it, and steps in between that are no part of it. */
  readonly statuses: number;
  readonly coalesced: number;
  readonly between: number;
  readonly observed: Observed | null;
}

// ---- time ----

export interface TimelineShown {
  /** Epoch milliseconds at the edges. */
  readonly from: number;
  readonly to: number;
  /** Where times stand, in pixels: linear inside of each piece; an idle one is folded. */
  readonly pieces: readonly TimePiece[];
  readonly lanes: readonly LaneShown[];
  /** Stores that have no lane here. */
  readonly moreLanes: readonly string[];
  readonly marks: readonly MarkShown[];
  readonly bars: readonly BarShown[];
  readonly spans: readonly SpanShown[];
  readonly threads: readonly ThreadShown[];
  readonly branches: readonly BranchRow[];
  /** The chosen moment. */
  readonly chosen: { readonly x0: number; readonly x1: number } | null;
  /** The chosen step, or the end. */
  readonly cursor: number | null;
  /** Whether the newest step stands in it. */
  readonly hasEnd: boolean;
}
export interface TimePiece {
  readonly from: number;
  readonly to: number;
  readonly x0: number;
  readonly x1: number;
  readonly idle?: true;
}
export interface LaneShown {
  readonly name: string;
  readonly kind: 'address' | 'store' | 'tasks';
}
export interface MarkShown {
  readonly lane: number;
  readonly x: number;
  readonly seq: number;
  readonly outcome: Outcome;
  readonly chosen?: true;
  /** Of several that stand too close: how many, and where the last one stands. */
  readonly count?: number;
  readonly x1?: number;
  /** It counts coalesced steps. */
  readonly coalesced?: true;
  readonly matches?: true;
}
export interface BarShown {
  readonly row: number;
  readonly x0: number;
  readonly x1: number;
  readonly seq: number;
  readonly label: string;
  readonly phase: 'running' | 'done' | 'failed' | 'cancelled' | 'skipped';
  readonly retries: readonly number[];
  readonly chosen?: true;
}
export interface SpanShown {
  readonly lane: number;
  readonly x0: number;
  readonly x1: number;
  readonly seq: number;
  readonly settled: 'confirmed' | 'reverted' | 'pending';
  readonly chosen?: true;
}
export interface ThreadShown {
  readonly x0: number;
  readonly lane0: number;
  readonly x1: number;
  readonly lane1: number;
  readonly by: 'user' | 'task' | 'other';
}
export interface BranchRow {
  readonly id: number;
  readonly name: string;
  readonly x0: number;
  readonly x1: number;
  readonly lane: number;
  readonly marks: readonly { readonly x: number; readonly seq: number }[];
}

// ---- derived values ----

export interface DerivedGroup {
  readonly name: string;
  /** How many are kept, by arguments. */
  readonly count: number;
  readonly computed: number;
  readonly forNothing: number;
  /** Milliseconds in all: with those of what they asked for meanwhile, and their own. */
  readonly took: number;
  readonly own: number;
  /** The step after which one of them was computed last. */
  readonly lastSeq: number | null;
  readonly watchers: number;
  readonly failed: number;
  /** The moment that is asked about changed one of them. */
  readonly changed: boolean;
  /** Of one without arguments: itself. */
  readonly only: DerivedShown | null;
}
export interface DerivedShown {
  readonly id: number;
  readonly name: string;
  readonly arguments: string;
  readonly value: ValueShown | null;
  readonly status: 'current' | 'stale' | 'failed';
  readonly computed: number;
  readonly forNothing: number;
  readonly took: number;
  readonly own: number;
  readonly lastTook: number | null;
  readonly readers: number;
  readonly watchers: number;
  readonly changed: boolean;
}
export interface DerivedDetail extends DerivedShown {
  readonly dependsOn: readonly DependencyShown[];
  readonly usedBy: readonly { readonly id: number; readonly label: string }[];
}
export interface DependencyShown {
  readonly kind: 'place' | 'derived';
  readonly label: string;
  readonly pointer?: string;
  readonly id?: number;
  /** What was read there. */
  readonly aspect?: string;
}

// ---- tasks ----

export interface TaskShown {
  readonly name: string;
  /** How many runs of it are kept, are under way, and failed. */
  readonly runs: number;
  readonly underWay: number;
  readonly failed: number;
  /** Milliseconds of the longest run; `null` where none has ended. */
  readonly longest: number | null;
}
export interface RunShown {
  readonly id: number;
  readonly task: string;
  /** Its title, or the name of its task. */
  readonly label: string;
  readonly arguments: string;
  /** The steps with which it began and ended. */
  readonly seq: number;
  readonly last: number | null;
  readonly time: number;
  /** Milliseconds; `null` while it is under way. */
  readonly took: number | null;
  readonly tries: number;
  /** `left`: it has no end in this branch. */
  readonly phase: 'running' | 'done' | 'failed' | 'cancelled' | 'skipped' | 'left';
  readonly reason?: string;
  /** Who asked for it: the sentence of its moment. */
  readonly because: string;
  /** Of one that is under way: what it waits for. */
  readonly waitsFor: readonly string[];
}

// ---- the model ----

export interface ModelStore {
  readonly name: string;
  /** Whether something of it is kept between sessions. */
  readonly kept: boolean;
  readonly rules: readonly string[];
  /** The types of its own actions. */
  readonly actions: readonly string[];
  /** The types of actions from elsewhere that it handles. */
  readonly handles: readonly string[];
}
export interface ModelSelector {
  readonly name: string;
  /** The names of the stores and selectors that it reads; of a task, where it reads its status. */
  readonly reads: readonly string[];
  /** It takes arguments. */
  readonly takesArguments: boolean;
  /** Why what it reads could not be found out. */
  readonly problem?: string;
}
export interface ModelTask {
  readonly name: string;
  readonly store?: string;
  /** The types of the actions that start it. */
  readonly when: readonly string[];
  readonly atStart: boolean;
}
/** What a model declares: who handles which action, what reads what, which tasks begin when. */
export interface Model {
  readonly stores: readonly ModelStore[];
  readonly selectors: readonly ModelSelector[];
  readonly tasks: readonly ModelTask[];
}
/** The model of an application that runs, and what its history adds: the types of the actions that runs dispatched, by task. */
export interface ModelShown extends Model {
  readonly dispatched: Readonly<Record<string, readonly string[]>>;
}
/** What of the model took part in a moment, by name. */
export interface ModelPath {
  readonly actions: readonly string[];
  readonly stores: readonly string[];
  readonly selectors: readonly string[];
  readonly tasks: readonly string[];
}

// ---- what is stored, and what costs ----

export interface StoredShown {
  readonly store: string;
  readonly kind: 'state' | 'set aside';
  /** Characters. */
  readonly size: number;
  /** Changes of it are not written yet. */
  readonly isPending: boolean;
  readonly version: number | null;
  /** How many changes are kept beside the whole. */
  readonly changes: number;
  /** Epoch milliseconds; `null` where it was before the inspector was attached. */
  readonly written: number | null;
  /** Of what was set aside: its key. */
  readonly key?: string;
  /** Its format, where a newer release of Floe stored it. */
  readonly newer?: string;
  /** What is wrong with it, or why it was set aside. */
  readonly why?: string;
}

/** What an action, a task, a selector, a watcher or a store costs; times in milliseconds. */
export interface Figure {
  readonly kind: 'action' | 'task' | 'selector' | 'watcher' | 'stored';
  readonly name: string;
  readonly count: number;
  readonly took: number | null;
  readonly longest: number | null;
  /** Of what is stored. */
  readonly characters?: number | null;
}

// ---- histories, finding, what-if ----

export interface HistoryEntry extends StepShown {
  readonly pointer: string;
  readonly before: ValueShown | null;
  readonly after: ValueShown | null;
  /** The sentence of its moment. */
  readonly because: string;
}

export interface FindQuery {
  readonly text?: string;
  readonly store?: string;
  readonly outcome?: Outcome | 'problem' | '';
  readonly cause?: string;
}

export interface WhatIf {
  readonly seq: number;
  readonly excluded: boolean;
  /** Steps that came to something else than before. */
  readonly others: readonly StepShown[];
  readonly otherCount: number;
  /** What is different at the end. */
  readonly changes: readonly ChangeShown[];
  readonly changeCount: number;
}

/** Each method: what it takes, and what it gives. */
export interface Methods {
  hello: { params: { readonly version: number }; result: Hello };
  status: { params: object; result: Status };
  moment: {
    params: { readonly number?: number; readonly seq?: number; readonly newest?: boolean };
    result: Moment | null;
  };
  step: { params: { readonly seq: number }; result: StepDetail };
  /** The nearest step in a direction: any, or one that changed state. */
  near: { params: { readonly seq: number; readonly by: number }; result: { readonly seq: number } };
  patch: { params: { readonly seqs: readonly number[] }; result: { readonly text: string } };
  timeline: {
    params: {
      readonly width: number;
      readonly from?: number;
      readonly to?: number;
      /** Show the surroundings of a moment, which takes about a fifth of the width. */
      readonly around?: number;
      readonly moment?: number;
      readonly seq?: number;
      readonly lanes?: number;
      readonly stores?: readonly string[];
      readonly find?: FindQuery;
    };
    result: TimelineShown;
  };
  /** The step nearest to a time. */
  at: { params: { readonly time: number }; result: { readonly seq: number | null } };
  parts: {
    params: {
      readonly of: ValuePlace;
      readonly from: number;
      readonly count: number;
      /** Mark what differs from the state before this step. */
      readonly since?: number;
      /** Parts that come first, by key; the others follow in their order. */
      readonly first?: readonly string[];
    };
    result: PartsShown;
  };
  /** A window of the rows of a table in the state. */
  rows: {
    params: {
      readonly seq: number;
      readonly pointer: string;
      readonly from: number;
      readonly count: number;
      readonly since?: number;
      readonly first?: readonly string[];
    };
    result: RowsShown;
  };
  text: { params: { readonly of: ValuePlace }; result: { readonly text: string; readonly cut: boolean } };
  /** The places of the state that a moment, or a step, changed: what a tree opens. */
  changed: {
    params: { readonly seq: number; readonly since: number };
    result: { readonly pointers: readonly string[] };
  };
  linkedBy: {
    params: { readonly seq: number; readonly pointer: string };
    result: { readonly rows: readonly { readonly label: string; readonly pointer: string }[]; readonly total: number };
  };
  history: {
    params: { readonly pointer: string; readonly seq: number; readonly count: number };
    result: { readonly entries: readonly HistoryEntry[]; readonly more: boolean };
  };
  find: {
    params: FindQuery & { readonly before?: number; readonly count: number };
    result: { readonly found: readonly StepShown[]; readonly next: number | null; readonly looked: number };
  };
  derived: {
    params: { readonly since?: number; readonly to?: number; readonly sort: 'took' | 'last' | 'name' };
    result: { readonly groups: readonly DerivedGroup[]; readonly total: number };
  };
  derivedOf: {
    params: {
      readonly name: string;
      readonly from: number;
      readonly count: number;
      readonly since?: number;
      readonly to?: number;
    };
    result: { readonly items: readonly DerivedShown[]; readonly total: number };
  };
  derivedOne: { params: { readonly id: number }; result: DerivedDetail | null };
  compareBranches: {
    params: { readonly a: number; readonly b: number };
    result: {
      readonly changes: readonly ChangeShown[];
      readonly changeCount: number;
      /** Places that only actions changed which are not listed. */
      readonly unlisted: number;
    };
  };
  export: { params: { readonly from: number }; result: { readonly text: string; readonly next: number | null } };
  /** The steps of the last interactions of the user, and of what they led to. */
  lastInteractions: {
    params: { readonly count: number };
    result: { readonly from: number; readonly to: number; readonly count: number } | null;
  };
  writeTest: {
    params: { readonly from: number; readonly to: number; readonly model: string };
    result: { readonly text: string };
  };
  code: { params: { readonly seq: number; readonly as: 'code' | 'json' }; result: { readonly text: string } };
  mute: { params: { readonly name: string; readonly muted: boolean }; result: object };
  show: { params: { readonly seq: number }; result: object };
  live: { params: object; result: object };
  exclude: { params: { readonly seq: number; readonly withCaused?: boolean }; result: WhatIf };
  include: { params: { readonly seq: number; readonly withCaused?: boolean }; result: WhatIf };
  /** `payload` is JSON text, in the encoding of leaf values; absent for an action without one. */
  send: {
    params: { readonly type: string; readonly payload?: string };
    result: { readonly outcome: string; readonly seq: number | null };
  };
  /** The tasks of which runs are kept; and runs, of all tasks or of one. */
  tasks: {
    params: { readonly task?: string; readonly count: number };
    result: { readonly tasks: readonly TaskShown[]; readonly runs: readonly RunShown[]; readonly total: number };
  };
  /** Runs a task again with the arguments that a run had; `seq` is a step of that run. */
  runAgain: { params: { readonly seq: number }; result: object };
  cancel: { params: { readonly run: number }; result: object };
  /** What is kept between sessions; `null` where nothing is. */
  stored: {
    params: object;
    result: {
      readonly status: string;
      /** What this tab is among those that share its state. */
      readonly tab: string;
      readonly pending: readonly string[];
      readonly items: readonly StoredShown[];
      readonly problems: readonly ProblemShown[];
    } | null;
  };
  forget: { params: { readonly store: string }; result: { readonly done: boolean } };
  rehydrate: { params: { readonly store: string }; result: { readonly done: boolean } };
  flush: { params: object; result: { readonly done: boolean } };
  /** All keys and texts as they are stored, as JSON. */
  storedTexts: { params: object; result: { readonly text: string } };
  model: { params: object; result: ModelShown };
  /** What of the model took part in the moment with that number. */
  modelPath: { params: { readonly number: number }; result: ModelPath };
  figures: { params: object; result: { readonly rows: readonly Figure[]; readonly isObserved: boolean } };
  /** Sets a place of the state by hand. `value` is JSON text, in the encoding of leaf values. */
  edit: { params: { readonly pointer: string; readonly value: string }; result: object };
  note: { params: { readonly seq: number; readonly text: string }; result: object };
  switchTo: { params: { readonly branch: number }; result: object };
  nameBranch: { params: { readonly branch: number; readonly name: string }; result: object };
  /** Asks an end that sends lines to begin: with those of all steps so far. */
  lines: { params: object; result: object };
  /** What of a trace file does not fit the application, before it takes the place of the history. */
  fits: {
    params: { readonly text: string };
    result: {
      readonly application: { readonly name: string; readonly version?: string } | null;
      readonly steps: number;
      readonly misfits: readonly { readonly store: string; readonly why: string }[];
    };
  };
  /** Refused where a store does not fit that is not left out. */
  replace: {
    params: { readonly text: string; readonly leaveOut?: readonly string[] };
    result: { readonly steps: number };
  };
}
export type Method = keyof Methods;

/** What the inspected end says without being asked. */
export interface LinkNotifications {
  /** Something changed; at most about twenty times a second. */
  changed: Status;
  /** Lines of a trace file, from an end that can only do that. */
  lines: { readonly lines: readonly string[] };
}
