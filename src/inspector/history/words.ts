// Steps and moments in words: labels, and the one sentence that says what an interaction led to.
import { escapeKey, isFields, isKeyed, lookUp, parsePointer } from '../../core/internal.js';
import type { Interaction, Step } from '../../trace/index.js';
import type { TraceSource } from '../../trace/internal.js';
import { readyMadeTitle } from './ready-made.js';
import type { RunSpan } from './step-index.js';
import { valueShown } from './values.js';

/** What happened in a step, in a few words: its title, or its names. */
export function labelOf(step: Step, source: TraceSource): string {
  const { fact, action, run, count, about, alsoAbout, cause, stores } = step;
  const title = titleOf(step, source);
  if (run) {
    const what = title ?? run.task;
    const named = run.id > 0 ? `${what}, run ${run.id}` : what;
    switch (fact) {
      case 'runStarted':
        return named;
      case 'runRetried':
        return `${named}, tries again`;
      default:
        return `${named}, ${run.phase}`;
    }
  }
  if (count !== undefined) return count === 1 ? '1 action, not listed' : `${count} actions, not listed`;
  if (title !== undefined) return title;
  const of = about === undefined ? undefined : source.step(about);
  if (fact === 'confirmed') return of?.action ? `${of.action.type} is confirmed` : 'confirmed';
  if (alsoAbout) return `${alsoAbout.length + 1} actions are reverted`;
  if (fact === 'reverted') return of?.action ? `${of.action.type} is reverted` : 'reverted';
  if (fact === 'fromTab') return cause.action ? `${cause.action} in another tab` : 'a change of another tab';
  if (action) return action.type;
  const names = namesOf(stores);
  switch (fact) {
    case 'initial':
      return 'the runtime began';
    case 'joined':
      return `${names} joined`;
    case 'rehydrated':
      return `${names} read from the storage`;
    case 'reset':
      return `${names} reset`;
    case 'renewed':
      return `${names} reloaded`;
    case 'edited':
      return `set ${editedText(step, source)}`;
    case 'undone':
      return 'the user undid a change';
    case 'redone':
      return 'the user redid a change';
    default:
      return fact ?? 'a step';
  }
}

/** The place that a developer set, and its value. */
function editedText({ changes, seq }: Step, source: TraceSource): string {
  const [first] = changes;
  if (!first) return 'nothing';
  const states = source.positionOf(seq) < 0 ? {} : source.statesAt(source.positionOf(seq));
  return `${placeLabel(first.path, states)}${'value' in first ? ` to ${wordsOf(first.value)}` : ''}`;
}

/** What the model calls a step; of a ready-made action what it is called by itself. */
export function titleOf(step: Step, source: TraceSource): string | undefined {
  const declared = source.titleOf(step);
  if (declared !== undefined || !step.action || step.kind !== 'action') return declared;
  return readyMadeTitle(step.action.type, step.action.payload);
}

/** The type of its action, the name of its task, or the fact. */
export const nameOf = ({ action, run, fact }: Step): string => run?.task ?? action?.type ?? fact ?? '';

const MOST_NAMES = 3;
function namesOf(names: readonly string[]): string {
  if (names.length === 0) return 'nothing';
  if (names.length <= MOST_NAMES) return listed(names);
  return `${names.slice(0, MOST_NAMES - 1).join(', ')} and ${names.length - MOST_NAMES + 1} more`;
}

/** One, two and three. */
function listed(parts: readonly string[]): string {
  return parts.length < 2 ? (parts[0] ?? '') : `${parts.slice(0, -1).join(', ')} and ${parts[parts.length - 1]}`;
}

/** Who or what brought a step about, in a sentence. */
export function causeSentence({ cause, fact, count }: Step): string {
  const { by, run, step, action } = cause;
  if (count !== undefined) return 'actions that the trace does not list';
  const after = step === undefined ? '' : `, in response to step ${step}`;
  if (run !== undefined) return `run ${run} of a task${after}`;
  switch (by) {
    case 'code':
      return `the application's code${after}`;
    case 'task':
      return `a task${after}`;
    case 'address':
      return `the user's navigation${after}`;
    case 'tab':
      return action === undefined ? 'another tab' : `${action} in another tab`;
    case 'storage':
      return 'a storage';
    case 'interceptor':
      return action === undefined ? `an interceptor${after}` : `an interceptor of ${action}${after}`;
    case 'inspector':
      return 'this inspector';
    case 'trace':
      return 'the trace';
    default:
      return fact === 'initial' ? 'the beginning of the runtime' : `the runtime${after}`;
  }
}

/** What a task was called with, or an action carries: the fields of a record by name, never as JSON. */
export function argumentsText(args: readonly unknown[]): string {
  return args.map((arg) => fieldsText(arg)).join(', ');
}

const MOST_FIELDS = 4;
function fieldsText(value: unknown): string {
  if (!isFields(value)) return wordsOf(value);
  const names = Object.keys(value);
  const shown = names.slice(0, MOST_FIELDS).map((name) => `${name} ${wordsOf(value[name])}`);
  return [...shown, ...(names.length > MOST_FIELDS ? [`${names.length - MOST_FIELDS} more fields`] : [])].join(', ');
}

function wordsOf(value: unknown): string {
  const { text, size } = valueShown(value);
  if (Array.isArray(value))
    return value.every((one) => typeof one !== 'object') && value.length <= 3 ? value.join(' and ') : `${size} items`;
  if (isFields(value)) return `${size} fields`;
  return text === '' ? 'an empty text' : text.length > 40 ? `${text.slice(0, 39)}…` : text;
}

// ---- places ----

/** A place of the state tree in words: `visit v0237 · place`; rows of a table are named by their type and key. */
export function placeLabel(pointer: string, states: unknown): string {
  const keys = parsePointer(pointer);
  const parts: string[] = [];
  for (let i = 0; i < keys.length; i++) {
    const at = lookUp(states, keys.slice(0, i + 1))?.value;
    if (isKeyed(at) && i + 1 < keys.length) {
      // The store of a row adds nothing: the row's type says where it is.
      if (i === 1) parts.pop();
      parts.push(`${keys[i]} ${keys[i + 1]}`);
      i++;
    } else parts.push(keys[i]);
  }
  return parts.length === 0 ? 'all stores' : parts.join(' · ');
}

export const pointerIn = (store: string, pointer: string): string => `/${escapeKey(store)}${pointer}`;

// ---- the sentence ----

/** Seconds as people read them: `1.02 s`, `240 ms`. */
export function duration(ms: number): string {
  // Browsers round their clocks: less than they tell apart is no time.
  if (ms < 0.05) return 'under 0.1 ms';
  if (ms < 10) return `${Math.round(ms * 10) / 10} ms`;
  if (ms < 1000) return `${Math.round(ms)} ms`;
  if (ms < 60_000) return `${(ms / 1000).toFixed(2)} s`;
  const minutes = Math.floor(ms / 60_000);
  if (minutes < 60) return `${minutes} min ${Math.round((ms % 60_000) / 1000)} s`;
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** What the user did: `click on “Assign”`. */
export function deed({ kind, name, role, key }: Interaction): string {
  const what = role === 'row' ? 'the row ' : role === 'item' ? 'the item ' : '';
  const on = name === '' ? (role === undefined ? 'the page' : `a ${role}`) : `${what}“${name}”`;
  switch (kind) {
    case 'click':
      return `click on ${on}`;
    case 'submit':
      return name === '' ? 'sending of a form' : `sending of ${on}`;
    case 'input':
      return role === 'list' ? `choice in ${on}` : `input in ${on}`;
    case 'key':
      return key === undefined ? `key on ${on}` : `${key} key on ${on}`;
  }
}

/** What the sentence of a moment is made from. */
export interface Account {
  readonly interaction: Interaction | undefined;
  readonly isLive: boolean;
  /** Its first step. */
  readonly root: Step | undefined;
  /** The steps that belong to the sentence, in order: those of the interaction itself and of the runs that it started. */
  readonly steps: readonly Step[];
  /** The runs that it started. */
  readonly runs: readonly RunSpan[];
  /** Of the last optimistic action: how it was settled, after how long. */
  readonly settled: { readonly step: Step; readonly after: number } | undefined;
  /** Of its first run: how it ended, after how long. */
  readonly ended: { readonly step: Step; readonly after: number } | undefined;
}

const MOST_NAMED = 3;

/** The sentence of a moment. */
export function sentenceOf(account: Account, source: TraceSource): string {
  const { interaction, root, steps } = account;
  const subject = interaction ? `${account.isLive ? 'Your' : 'The'} ${deed(interaction)}` : doer(root, account.isLive);
  if (steps.length === 0 && account.runs.length === 0)
    return interaction
      ? `${subject} ${interaction.changedPage ? 'changed the page, and ' : ''}dispatched nothing`
      : root
        ? factSentence(root, source)
        : subject;
  if (!interaction && root?.fact === 'edited') return `${subject} ${labelOf(root, source)}`;
  if (!interaction && root?.kind === 'fact' && !root.run) return factSentence(root, source);
  return `${subject} ${predicate(account, source)}${settlement(account, source)}`;
}

function doer(root: Step | undefined, isLive: boolean): string {
  switch (root?.cause.by) {
    case 'address':
      return isLive ? 'Your navigation' : "The user's navigation";
    case 'inspector':
      return isLive ? 'You, in this inspector,' : 'A developer, in the inspector,';
    case 'task':
      return root.cause.run === undefined ? 'A task' : `Run ${root.cause.run}`;
    case 'tab':
      return 'Another tab';
    case 'storage':
      return 'A storage';
    case 'interceptor':
      return root.cause.action === undefined ? 'An interceptor' : `An interceptor of ${root.cause.action}`;
    default:
      return 'The application';
  }
}

/** A fact that no action brought about. */
function factSentence(step: Step, source: TraceSource): string {
  const label = labelOf(step, source);
  return label.charAt(0).toUpperCase() + label.slice(1);
}

function predicate({ steps, runs, interaction }: Account, source: TraceSource): string {
  const fine = steps.filter((step) => howOf(step) === undefined);
  const others = steps.filter((step) => howOf(step) !== undefined).map((step) => `${nameOf(step)}, ${howOf(step)!}`);
  const titles = distinct(
    fine.flatMap((step) => {
      const title = step.kind === 'action' ? titleOf(step, source) : undefined;
      return title === undefined ? [] : [step.excluded ? `${title} (left out)` : title];
    }),
  );
  if (titles.length > 0) return [withRest(titles), ...(others.length > 0 ? [withRest(others)] : [])].join('; ');
  const names = distinct([...fine.map((step) => nameInSentence(step, source)), ...others]);
  if (runs.length > 0) {
    const tasks = distinct(runs.map(({ start, task }) => runTitle(start, task, source)));
    const ran = listed(tasks.slice(0, MOST_NAMED).map((task) => (task.includes(' ') ? `“${task}”` : task)));
    return names.length === 0 ? `ran ${ran}` : `ran ${ran}: ${withRest(names)}`;
  }
  return steps.every(({ kind }) => kind === 'fact') && !interaction ? withRest(names) : `dispatched ${withRest(names)}`;
}

const nameInSentence = (step: Step, source: TraceSource): string => {
  const name = step.kind === 'action' ? nameOf(step) : labelOf(step, source);
  return step.excluded ? `${name} (left out)` : name;
};

const runTitle = (start: number, task: string, source: TraceSource): string => {
  const step = source.at(start);
  return (step && titleOf(step, source)) ?? task;
};

const distinct = (texts: readonly string[]): string[] => [...new Set(texts)];

function withRest(texts: readonly string[]): string {
  if (texts.length <= MOST_NAMED) return listed(texts);
  return `${texts.slice(0, MOST_NAMED - 1).join(', ')} and ${texts.length - MOST_NAMED + 1} more`;
}

/** How an action that was not simply applied ended. */
export function howOf({ outcome, reason, kind, excluded }: Step): string | undefined {
  if (kind === 'fact' || excluded) return undefined;
  const why = reason === undefined || reason === '' ? '' : `: ${reason}`;
  switch (outcome) {
    case 'unchanged':
      return 'which changed nothing';
    case 'waiting':
      return 'which waits for a decision';
    case 'stopped':
      return `which was stopped${why}`;
    case 'refused':
      return `which was refused${why}`;
    case 'failed':
      return `which failed${why}`;
    case 'reverted':
      return 'which was rolled back';
    default:
      return undefined;
  }
}

function settlement({ settled, ended, runs, steps }: Account, source: TraceSource): string {
  if (settled) {
    const title = titleOf(settled.step, source);
    const after = `after ${duration(settled.after)}`;
    if (settled.step.fact === 'confirmed') return title ? `; ${title} ${after}` : `, confirmed ${after}`;
    const reason = ended?.step.reason ?? settled.step.reason;
    const why = reason === undefined ? '' : `: ${reason}`;
    return title ? `; ${title} ${after}, and it was reverted${why}` : `, reverted ${after}${why}`;
  }
  if (!ended) {
    if (runs.length === 0) return '';
    return runs[0].phase === 'left'
      ? ', which has no end in this branch'
      : steps.length > 0
        ? ''
        : ', which is under way';
  }
  const { phase } = ended.step.run!;
  const after = `after ${duration(ended.after)}`;
  if (phase === 'failed') return `; it failed ${after}: ${ended.step.reason ?? 'for an unknown reason'}`;
  if (phase === 'cancelled') return `; it was cancelled ${after}`;
  return steps.length === 0 ? `, done ${after}` : '';
}
