// Everything that may happen in an application whose tasks run, in every order that can matter, breadth first.
//
// A story is a list of choices. Runs cannot be copied, so each is played from the beginning. A state is known again by what the stores
// hold and by what each run was given: never by what is pending alone, since a run that was given something else goes on in another way.
import { isStatuses, runsIn, statusEntries, toText, type Rebasing, type StoreDefinition } from '../../core/internal.js';
import { notRepeatable } from '../errors.js';
import { openLog } from '../story-helpers.js';
import type { Choice, NamedChoice } from './choices.js';
import { choicesOf } from './next-choices.js';
import { DataHashes, hashOfText, mixed, Reached } from './data-hashes.js';
import { STATES, STEPS, type Exploration, type ExploreOptions, type Finding } from './exploration.js';
import type { StoryStep } from '../../trace/index.js';
import type { Footprint } from './footprint.js';
import type { Seen } from './faults.js';
import { Playing } from './playing.js';
import { stageOf, type Stage } from './stage.js';
import { tell } from './story.js';
import { Tallies } from './tallies.js';

/** What is known of a state. */
interface Key {
  readonly hash: number;
  /** The states of the stores, what needs know, and what runs were given: to confirm a match. */
  readonly data: unknown;
}

/** A state that was reached, and a shortest way there. */
interface Place {
  readonly from: Place | undefined;
  readonly choice: Choice | undefined;
  readonly steps: number;
  readonly key: Key;
  /** What need not be tried here: another order of it was. */
  sleeping: ReadonlyMap<string, Footprint>;
  /** What was tried here, and what it touched. */
  readonly tried: Map<string, Footprint>;
  isWaiting: boolean;
}

const ENDED = Symbol('ended');

export class RunSearch {
  private readonly stage: Stage;
  /** Where nothing is gone on from, there is no place. */
  private readonly known = new Reached<Place | typeof ENDED>();
  private readonly byStep: { readonly places: Place[]; at: number }[] = [];
  private readonly tallies = new Tallies();
  private readonly found = new Map<string, Finding>();
  private count = 0;
  private done = 0;
  private isCut = false;

  constructor(private readonly options: ExploreOptions) {
    this.stage = stageOf(options);
  }

  async run(): Promise<Exploration> {
    const { steps = STEPS.tasks, time = Infinity, first, onState } = this.options;
    const end = Date.now() + time;
    await this.begin();
    for (let place = this.next(); place; place = this.next()) {
      if (place.steps === steps || Date.now() > end || (first && this.broken.length > 0)) {
        this.isCut = true;
        if (place.steps === steps) continue;
        break;
      }
      await this.expand(place, end);
      onState?.(++this.done, this.count);
    }
    const { broken } = this;
    const all = [...this.found.values()];
    return {
      states: this.count,
      steps: this.byStep.length - 1,
      complete: !this.isCut && !all.some(hides),
      ...this.tallies.of(this.stage.stores),
      broken,
      failures: all.filter((one) => !isBroken(one)),
    };
  }

  private get broken(): readonly Finding[] {
    return [...this.found.values()].filter(isBroken);
  }

  private async begin(): Promise<void> {
    const playing = new Playing(this.stage);
    await playing.rest();
    const seen = playing.beginning();
    const key = this.keyOf(playing);
    this.stage.initial = playing.states;
    playing.close();
    for (const one of seen) this.found.set(`${one.kind} ${one.what}`, { ...one, story: [] });
    const place = this.place({ from: undefined, choice: undefined, steps: 0, key }, new Map());
    if (seen.some(ends)) place.isWaiting = false;
  }

  private place(of: Pick<Place, 'from' | 'choice' | 'steps' | 'key'>, sleeping: Place['sleeping']): Place {
    const place: Place = { ...of, sleeping, tried: new Map(), isWaiting: true };
    this.known.add(of.key.hash, of.key.data, place);
    (this.byStep[of.steps] ??= { places: [], at: 0 }).places.push(place);
    this.count++;
    return place;
  }

  /** The place with the fewest steps at which something is to be tried; it is tried from now on. */
  private next(): Place | undefined {
    for (const level of this.byStep)
      while (level.at < level.places.length) {
        const place = level.places[level.at++];
        if (!place.isWaiting) continue;
        place.isWaiting = false;
        return place;
      }
    return undefined;
  }

  /** Tries everything that may happen at a place. */
  private async expand(place: Place, end: number): Promise<void> {
    const begun = await this.reached(place);
    const choices = choicesOf(begun);
    let playing: Playing | undefined = begun;
    /** What is not tried any more, with what it touched. */
    const before = new Map([...place.sleeping, ...place.tried]);
    for (const named of choices) {
      if (before.has(named.name)) continue;
      if (Date.now() > end) {
        this.isCut = true;
        break;
      }
      // The first one goes on where its place was reached again.
      playing ??= await this.reached(place);
      const footprint = await this.tryOne(place, named, playing, before);
      playing = undefined;
      place.tried.set(named.name, footprint);
      before.set(named.name, footprint);
    }
    playing?.close();
  }

  /** What a choice leads to. Returns what it touched. */
  private async tryOne(
    place: Place,
    { choice, depends }: NamedChoice,
    playing: Playing,
    before: ReadonlyMap<string, Footprint>,
  ): Promise<Footprint> {
    const { tallies } = this;
    const tally =
      choice.does === 'dispatch'
        ? tallies.for(choice.action.type)
        : choice.does === 'run'
          ? tallies.for(choice.call.task.name)
          : undefined;
    if (!(await playing.perform(choice))) throw notRepeatable(await this.wordsTo(place));
    const { footprint } = playing;
    if (depends) footprint.readsAll = true;
    const seen = playing.judge();
    const key = this.keyOf(playing);
    playing.close();
    const broke = seen.some(ends);
    if (tally) {
      if (seen.some(({ kind }) => kind === 'change')) tally.failed++;
      else if (broke) tally.broke++;
      else if (key.hash === place.key.hash) tally.unchanged++;
      else tally.applied++;
    }
    for (const one of seen) await this.note(one, place, choice);
    const sleeping = new Map([...before].filter(([, other]) => footprint.isIndependentOf(other)));
    const known = this.known.find(key.hash, key.data);
    if (known === ENDED) return footprint;
    if (known) this.wake(known, sleeping);
    else if (broke) this.known.add(key.hash, key.data, ENDED);
    else if (this.count >= (this.options.states ?? STATES)) this.isCut = true;
    else this.place({ from: place, choice, steps: place.steps + 1, key }, sleeping);
    return footprint;
  }

  /** A place was reached in another way: only what needs not be tried on either way need not be tried. */
  private wake(place: Place, sleeping: ReadonlyMap<string, Footprint>): void {
    const left = new Map([...place.sleeping].filter(([name]) => sleeping.has(name)));
    if (left.size === place.sleeping.size) return;
    place.sleeping = left;
    if (place.isWaiting) return;
    place.isWaiting = true;
    this.byStep[place.steps].places.push(place);
  }

  // ---- stories ----

  private pathTo(place: Place): Choice[] {
    const path: Choice[] = [];
    for (let at: Place | undefined = place; at?.choice; at = at.from) path.unshift(at.choice);
    return path;
  }

  /** Plays the story that leads to a place. @throws FLOE_NOT_REPEATABLE */
  private async reached(place: Place): Promise<Playing> {
    const playing = new Playing(this.stage);
    await playing.rest();
    for (const choice of this.pathTo(place))
      if (!(await playing.perform(choice))) {
        playing.close();
        throw notRepeatable(await this.wordsTo(place));
      }
    if (this.keyOf(playing).hash !== place.key.hash) {
      playing.close();
      throw notRepeatable(await this.wordsTo(place));
    }
    return playing;
  }

  private async note(seen: Seen, place: Place, choice: Choice): Promise<void> {
    const name = `${seen.kind} ${seen.what}`;
    const before = this.found.get(name);
    if (before && before.story.length <= place.steps + 1) return;
    this.found.set(name, { ...seen, story: await this.storyOf([...this.pathTo(place), choice]) });
  }

  private async storyOf(path: readonly Choice[]): Promise<StoryStep[]> {
    const playing = new Playing(this.stage);
    await playing.rest();
    const story: StoryStep[] = [];
    for (const choice of path) {
      const step = await tell(playing, choice);
      if (!step) break;
      story.push(step);
    }
    playing.close();
    return story;
  }

  private async wordsTo(place: Place): Promise<string[]> {
    return (await this.storyOf(this.pathTo(place))).map(({ says }) => says);
  }

  // ---- states ----

  private keyOf(playing: Playing): Key {
    const { hashes } = this.stage;
    const { kernel, clock, runs } = playing;
    const { states } = kernel.views.live;
    const data: unknown[] = [];
    let hash = 0;
    let statuses = 0;
    const texts: string[] = [];
    for (const [name, { store, index }] of kernel.cells) {
      const state = states[index];
      if (store.internal) {
        const own = statusHash(name, state, hashes);
        // Statuses join when their tasks first run.
        if (own !== 0) {
          statuses = (statuses + own) | 0;
          texts.push(`${name} ${own}`);
        }
        continue;
      }
      hash = mixed(hash, hashes.of(state, this.stage.initial?.[name]));
      data.push(state);
    }
    for (const one of runs.all.values()) {
      const { run, pending } = one;
      if (!run.ended || pending > 0) texts.push(runs.nameOf(one));
    }
    for (const { run, at } of clock.timers) {
      const sleeper = run === undefined ? undefined : runs.all.get(run);
      if (at < Infinity) texts.push(`timer ${at - clock.now()} ${sleeper ? runs.nameOf(sleeper) : ''}`);
    }
    texts.sort();
    for (const { action } of playing.held.all.values())
      texts.push(`held ${hashes.of(action.type)} ${hashes.of(action.payload)}`);
    texts.push(...logTexts(openLog(kernel), hashes), ...queueTexts(playing, hashes));
    const known = [...playing.needs.known.values()].map((one) => toText(one));
    for (const text of [...texts, ...known]) hash = mixed(hash, hashOfText(text));
    data.push(texts, known);
    return { hash: mixed(hash, statuses), data };
  }
}

/** What must not be; the others may be meant. */
const isBroken = ({ kind }: Seen): boolean => kind !== 'change' && kind !== 'unseen';
/** Beyond which nothing is tried; what is not as it should be at rest may yet become so. */
const ends = ({ kind }: Seen): boolean => kind === 'rule' || kind === 'loop';
/** Beyond which not everything can be tried. */
const hides = (seen: Seen): boolean => ends(seen) || seen.kind === 'under way';

const statusHashes = new WeakMap<object, number>();

/** The statuses of a task, without times; of how many runs began it counts whether it was none, one, or more. */
function statusHash(name: string, state: unknown, hashes: DataHashes): number {
  if (!isStatuses(name, state) || state.all.phase === 'idle') return 0;
  let hash = statusHashes.get(state);
  if (hash !== undefined) return hash;
  const of = ({ phase, runs, error }: typeof state.all): number =>
    mixed(hashOfText(phase), mixed(Math.min(runs, 2), hashes.of(error?.message)));
  hash = mixed(hashOfText(name), of(state.all));
  for (const [key, status] of statusEntries(state)) hash += mixed(hashOfText(key), of(status));
  hash |= 0;
  statusHashes.set(state, hash);
  return hash;
}

/** What is open optimistically, and what would be computed again. */
function logTexts(log: Rebasing['log'], hashes: DataHashes): string[] {
  if (!log) return [];
  const statesOf = (states: ReadonlyMap<{ readonly store: StoreDefinition }, unknown>): string =>
    Array.from(states, ([{ store }, state]) => `${store.name} ${hashes.of(state)}`).join();
  const entries = log.entries.map(({ action, after, open, gone }) =>
    [open, gone, action ? `${action.type} ${hashes.of(action.payload)}` : statesOf(after)].join(' '),
  );
  return [`open on ${statesOf(log.base)}`, ...entries];
}

/** The calls of tasks that wait for their turn, in that order. */
const queueTexts = ({ kernel }: Playing, hashes: DataHashes): string[] =>
  runsIn(kernel).flatMap(({ phase, task, args }) =>
    phase === 'waiting' ? [`queued ${task.name} ${hashes.of(args)}`] : [],
  );
