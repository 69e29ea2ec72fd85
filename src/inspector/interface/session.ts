// One history that the interface shows: what the other end of its link said last, and what is chosen in it.
import {
  asks,
  Asking,
  channelPair,
  linkRecording,
  linkTooNew,
  LINK_VERSION,
  RecordedHistory,
  type Ability,
  type Channel,
  type FindQuery,
  type Hello,
  type Method,
  type Methods,
  type Moment,
  type LinkNotifications,
  type Status,
  type StepDetail,
  type TimelineShown,
  type WhatIf,
} from '../ends/index.js';

import { Playing } from './playing.js';

/** What a part of the interface shows below the sentence. */
export type Panel =
  'state' | 'derived' | 'tasks' | 'stored' | 'figures' | 'model' | 'find' | 'session' | 'history' | 'branches';

/** What stays in sight: a place of the state, or a derived value by its number. */
export interface Pin {
  readonly pointer: string;
  readonly label: string;
  readonly derived?: number;
}

/** A message for the user: something that could not be done, or that was done. */
export interface Notice {
  readonly kind: 'done' | 'problem';
  readonly text: string;
}

/**
 * Larger than other classes, and its file than other files: the parts of the interface share what it holds, and each says here what the
 * user did.
 */
export class Session extends EventTarget {
  hello: Hello | undefined;
  status: Status | undefined;
  moment: Moment | undefined;
  /** The steps of the moment that are opened, by number. */
  readonly opened = new Map<number, StepDetail>();
  timeline: TimelineShown | undefined;
  /** Shows the newest moment, and each that comes. */
  isFollowing = true;
  /** The step whose state is looked at; absent: the last one of the moment. */
  chosenSeq: number | undefined;
  panel: Panel | undefined;
  /** The place whose history is shown. */
  place: string | undefined;
  whatIf: WhatIf | undefined;
  find: FindQuery = {};
  notice: Notice | undefined;
  /** The window of time; absent: the whole, or what surrounds the moment. */
  window: { readonly from: number; readonly to: number } | undefined;
  /** Stores that are shown, where the user chose some. */
  stores: readonly string[] | undefined;
  /** Opened places of the state. */
  readonly openPlaces = new Set<string>();
  /** The place that was found in the state after the chosen step. */
  hit: string | undefined;
  /** The part that led there. */
  hitFrom: 'find' | 'model' = 'find';
  /** The window in which it is drawn: of the page, or of a frame in it. */
  view: Window | undefined;
  pins: readonly Pin[] = [];
  /** The steps of which a test is written; the second is missing while it is chosen in the line of time. */
  range: { readonly from: number; readonly to: number | undefined } | undefined;
  isChoosingRange = false;
  /** Where a test imports the model from. */
  testModel = './model/index.js';
  /** The user opened it here, and may close it. */
  isOpened = false;
  /** The link is over. */
  ended: string | undefined;
  private readonly asking: Asking;
  /** Of an end that only sends lines: the recording that they make, read here. */
  private reader: { readonly history: RecordedHistory; readonly asking: Asking } | undefined;
  private timelinesAsked = 0;
  /** The moment around which the strip was drawn last. */
  private anchor: number | undefined;
  /** Counts what the user asked for; older responses are ignored. */
  private requestNumber = 0;
  private width = 800;
  private around = false;
  private refreshing = false;
  private refreshed = -Infinity;
  /** How many steps there were when the picture was loaded. */
  private loadedSteps = 0;
  private stale = false;

  constructor(
    channel: Channel,
    readonly title: string,
  ) {
    super();
    this.asking = new Asking(channel, (method, params) => {
      if (method === 'changed') this.notified(params as Status);
      else void this.reader?.history.lines((params as LinkNotifications['lines']).lines);
    });
    void this.begin();
  }

  private async begin(): Promise<void> {
    try {
      this.hello = await this.asking.ask('hello', { version: LINK_VERSION });
      if (this.hello.version > LINK_VERSION) throw linkTooNew(this.hello.version, LINK_VERSION);
      if (this.hello.can.includes('lines')) this.readLines(this.hello);
      this.notified(await this.ask('status', {}));
    } catch (error) {
      this.fail(error);
    }
  }

  /** The other end sends lines of a trace file, and responds to commands at most. */
  private readLines({ name, can }: Hello): void {
    const history = new RecordedHistory();
    const [ours, theirs] = channelPair();
    linkRecording(history, theirs, { name, kind: 'live', can });
    const asking = new Asking(ours, (method, params) => {
      if (method === 'changed') this.notified(params as Status);
    });
    this.reader = { history, asking };
    void this.asking.ask('lines', {}).catch((error: unknown) => this.fail(error));
  }

  ask<M extends Method>(method: M, params: Methods[M]['params']): Promise<Methods[M]['result']> {
    const end = this.reader && !COMMANDS.has(method) ? this.reader.asking : this.asking;
    return end.ask(method, params);
  }

  /** Asks for something that the user wants done, and says so if it cannot be done. */
  async try<M extends Method>(
    method: M,
    params: Methods[M]['params'],
    done?: string,
  ): Promise<Methods[M]['result'] | undefined> {
    try {
      const result = await this.ask(method, params);
      if (done !== undefined) this.say({ kind: 'done', text: done });
      return result;
    } catch (error) {
      this.fail(error);
      return undefined;
    }
  }

  fail(error: unknown): void {
    // That the link is over is said once.
    if (this.ended !== undefined) return;
    this.say({ kind: 'problem', text: error instanceof Error ? error.message : String(error) });
  }
  say(notice: Notice | undefined): void {
    clearTimeout(this.leaving);
    this.notice = notice;
    if (notice)
      this.leaving = setTimeout(() => this.say(undefined), notice.kind === 'done' ? DONE_STAYS : PROBLEM_STAYS);
    this.changed();
  }
  private leaving: ReturnType<typeof setTimeout> | undefined;

  changed(): void {
    this.dispatchEvent(new Event('change'));
  }

  end(why: string): void {
    this.playing.stop();
    clearTimeout(this.later);
    clearTimeout(this.leaving);
    this.ended = why;
    this.asking.end(why);
    this.changed();
  }

  /** Takes the place of a session that has ended: what was looked at stays open. */
  continues({ panel, openPlaces, pins, find, stores, testModel }: Session): void {
    Object.assign(this, { panel, find, stores, testModel, pins: pins.filter(({ derived }) => derived === undefined) });
    for (const place of openPlaces) this.openPlaces.add(place);
  }

  can(ability: Ability): boolean {
    return this.hello?.can.includes(ability) ?? false;
  }
  /** Why something cannot be done. */
  missing(ability: Ability): string {
    return this.hello?.missing[ability] ?? 'The other end of the link cannot do this.';
  }

  /** The step whose state is looked at: while the newest is followed, the last one of all. */
  get seq(): number | undefined {
    const { isFollowing, status } = this;
    return (isFollowing ? this.chosenSeq : this.momentSeq) ?? status?.lastSeq ?? undefined;
  }
  /** The chosen step, or the one whose state the moment ended with. */
  get momentSeq(): number | undefined {
    return this.chosenSeq ?? this.moment?.at ?? undefined;
  }
  /** The step before which the state counts as "before". */
  get since(): number | undefined {
    const { moment, chosenSeq } = this;
    return chosenSeq ?? moment?.first ?? undefined;
  }

  private notified(status: Status): void {
    const isFirst = this.status === undefined;
    // Who acts in the page while it shows the past looks at what that led to.
    if (this.status && this.status.branch !== status.branch) this.followOn();
    this.status = status;
    if (isFirst) this.changed();
    // While a file is read, or much happens at once, the picture is drawn now and then: the page has the rest of the time.
    const isReading = status.reading !== null && this.loadedSteps > A_PICTURE;
    const now = performance.now();
    const streams = now - this.notifiedAt < STREAM && status.interactions === this.interactions;
    this.notifiedAt = now;
    const pace = isReading ? WHILE_READING : !streams ? LIVE : this.isFolded ? FOLDED : STREAMING;
    const wait = this.refreshed + pace - now;
    if (wait <= 0) this.refresh();
    else this.refreshIn(streams && !this.isFolded ? Math.min(wait, QUIET) : wait, streams);
  }

  /** @param delays where one is due already, it comes so much later: while more arrives */
  private refreshIn(wait: number, delays: boolean): void {
    if (this.later !== undefined && !delays) return;
    clearTimeout(this.later);
    this.later = setTimeout(() => this.refresh(), wait);
  }
  private later: ReturnType<typeof setTimeout> | undefined;
  private notifiedAt = -Infinity;
  /** How many interactions there were when the picture was loaded. */
  private interactions = 0;
  /** Of it one sentence is shown. */
  private isFolded = false;
  fold(isFolded: boolean): void {
    if (this.isFolded && !isFolded) this.refresh();
    this.isFolded = isFolded;
  }

  /** Asks again for what is shown; while one answer is awaited, once more after it. */
  refresh(): void {
    clearTimeout(this.later);
    this.later = undefined;
    if (this.refreshing) {
      this.stale = true;
      return;
    }
    this.refreshing = true;
    this.refreshed = performance.now();
    void this.load()
      .catch((error: unknown) => this.fail(error))
      .finally(() => {
        this.refreshing = false;
        if (!this.stale) return;
        this.stale = false;
        this.refresh();
      });
  }

  private async load(): Promise<void> {
    const { moment: known, isFollowing, requestNumber } = this;
    const { steps = 0, interactions = 0 } = this.status ?? {};
    this.interactions = interactions;
    // Numbers of moments change when a kind is muted, or steps become others; the number of a step stays.
    const same = known && (known.first === null ? { number: known.number } : { seq: known.first });
    const moment = await this.ask('moment', isFollowing || !same ? { newest: true } : same);
    if (requestNumber !== this.requestNumber) return;
    // The user has chosen another one, which came first.
    if (this.moment !== known) {
      this.stale = true;
      return;
    }
    if (moment && known && moment.number !== known.number && isFollowing) this.forgetChoice();
    this.moment = moment ?? undefined;
    if (!this.isFolded) await this.loadTimeline();
    this.loadedSteps = steps;
    for (const seq of this.opened.keys()) {
      const detail = await this.ask('step', { seq }).catch(() => undefined);
      if (detail && this.opened.has(seq)) this.opened.set(seq, detail);
    }
    this.changed();
  }

  private stopFollowing(): void {
    this.isFollowing = false;
    this.requestNumber++;
  }

  private forgetChoice(): void {
    this.chosenSeq = undefined;
    this.hit = undefined;
    this.opened.clear();
    this.whatIf = undefined;
  }

  // ---- the line of time ----

  /** Says how wide the line of time is, and whether it shows the surroundings of the moment. */
  setWidth(width: number, around: boolean): void {
    if (Math.abs(width - this.width) < 2 && around === this.around) return;
    this.width = width;
    this.around = around;
    if (this.status) void this.loadTimeline().then(() => this.changed());
  }

  async loadTimeline(): Promise<void> {
    const asked = ++this.timelinesAsked;
    const { window, moment, seq, stores, find, isFollowing } = this;
    const isAround = this.around && !window && moment !== undefined;
    const drawn = (around: number | undefined): Promise<TimelineShown> =>
      this.ask('timeline', {
        width: this.width,
        ...(window ?? (isAround && around !== undefined ? { around } : {})),
        ...(moment && { moment: moment.number }),
        ...(seq !== undefined && { seq }),
        ...(stores && { stores }),
        ...(asks(find) && { find }),
        lanes: this.around ? 3 : 6,
      });
    // The picture stays where it is as long as the moment is in it.
    const { timeline: before } = this;
    const isIn = moment && before && before.from <= moment.time && moment.time <= before.to;
    if (this.anchor === undefined || !isIn) this.anchor = moment?.number;
    let timeline = await drawn(this.anchor);
    const isOut = timeline.chosen === null || (isFollowing && !timeline.hasEnd);
    if (isAround && isOut && this.anchor !== moment.number) {
      this.anchor = moment.number;
      timeline = await drawn(this.anchor);
    }
    if (asked === this.timelinesAsked) this.timeline = timeline;
  }

  // ---- choosing ----

  readonly playing = new Playing(this);
  /** Shows a moment as part of a history that is played, and the page as it was then. */
  async playTo(number: number): Promise<void> {
    await this.want({ number });
    const { moment } = this;
    if (this.can('travel') && moment?.at != null) await this.try('show', { seq: moment.at });
  }

  /** Looks at a moment. Following stops. Of several requests that come while one is under way, only the last one counts. */
  async lookAt(params: Methods['moment']['params'], seq?: number): Promise<void> {
    this.playing.stop();
    return this.want(params, seq);
  }

  private want(params: Methods['moment']['params'], seq?: number): Promise<void> {
    this.wanted = { params, seq };
    const now = performance.now();
    this.isMoving = now - this.wantedAt < MOVING;
    this.wantedAt = now;
    this.stopFollowing();
    this.looking ??= this.look().finally(() => {
      this.looking = undefined;
    });
    return this.looking;
  }
  private wanted: { readonly params: Methods['moment']['params']; readonly seq: number | undefined } | undefined;
  private looking: Promise<void> | undefined;
  private wantedAt = -Infinity;
  /** Moments follow each other, as while a user drags along the line of time. */
  private isMoving = false;
  /**
   * While that is so, a moment, the line of time and the state are drawn in a frame each: together they take longer than one.
   * What is held still shows the moment before.
   */
  private held: 'time and state' | 'state' | 'time' | undefined;
  holds(part: 'time' | 'state'): boolean {
    return this.held?.includes(part) ?? false;
  }

  private async look(): Promise<void> {
    while (this.wanted) {
      const { params, seq } = this.wanted;
      this.wanted = undefined;
      const moment = await this.try('moment', params);
      // A later request of the user, as to follow what happens, counts.
      if (this.isFollowing || !moment) continue;
      if (moment.number !== this.moment?.number) this.forgetChoice();
      this.chosenSeq = seq;
      this.moment = moment;
      if (this.isMoving) await this.drawByFrames();
      else {
        await this.loadTimeline();
        this.changed();
      }
    }
  }

  private async drawByFrames(): Promise<void> {
    this.held = this.panel === 'state' ? 'time and state' : 'time';
    try {
      this.changed();
      await this.frame();
      await this.loadTimeline();
      this.held = this.held === 'time' ? undefined : 'state';
      this.dispatchEvent(new Event('time'));
      await this.frame();
      if (this.held === undefined) return;
    } finally {
      // Also where the link broke meanwhile: nothing stays held.
      this.held = undefined;
    }
    this.dispatchEvent(new Event('state'));
    await this.frame();
  }

  /** The next frame; where none is drawn, as in a hidden window, a while later. */
  private frame(): Promise<void> {
    return new Promise((resolve) => {
      const late = setTimeout(resolve, MOVING);
      this.view?.requestAnimationFrame(() => {
        clearTimeout(late);
        resolve();
      });
    });
  }

  /** Looks at a step: its moment, and the state after it. */
  async lookAtStep(seq: number): Promise<void> {
    await this.lookAt({ seq }, seq);
  }

  /** Looks at a step that was found, and at the place in the state that holds what was looked for. */
  async lookAtFound(seq: number, hit: string | undefined): Promise<void> {
    await this.lookAtStep(seq);
    if (hit !== undefined) this.showPlace(hit, 'find');
  }

  /** Shows a place of the state. */
  showPlace(pointer: string, from: 'find' | 'model'): void {
    this.hit = pointer;
    this.hitFrom = from;
    this.show('state');
  }

  /** The moment before, or after. */
  async go(by: number): Promise<void> {
    const { moment, status } = this;
    if (!moment || !status) return;
    const number = moment.number + by;
    if (number < status.firstMoment || number >= status.moments) return;
    await this.lookAt({ number });
  }

  /** A click in the line of time, while the steps of a test are chosen there: first where it begins, then where it ends. */
  chooseForRange(seq: number): void {
    const { range } = this;
    if (range?.to !== undefined || !range) this.range = { from: seq, to: undefined };
    else {
      this.range = { from: Math.min(range.from, seq), to: Math.max(range.from, seq) };
      this.isChoosingRange = false;
    }
    this.changed();
  }

  /** What came since the moment: the newest, or the first that failed. */
  async lookAtNewer(failedSeq?: number): Promise<void> {
    const { status } = this;
    if (failedSeq !== undefined) await this.lookAtStep(failedSeq);
    else if (status) await this.lookAt({ number: status.moments - 1 });
  }

  private followOn(): void {
    this.playing.stop();
    this.isFollowing = true;
    this.requestNumber++;
    this.forgetChoice();
    this.window = undefined;
    this.anchor = undefined;
    // What it said of the past is over.
    this.notice = undefined;
  }

  async follow(): Promise<void> {
    this.followOn();
    // What the end said last may be of before: it knows whether there is anything to do.
    if (this.can('travel')) await this.try('live', {});
    this.refresh();
    this.changed();
  }

  /** Opens a step of the tree, or closes it. */
  async open(seq: number): Promise<void> {
    if (this.opened.has(seq)) {
      this.opened.delete(seq);
      if (this.chosenSeq === seq) this.chosenSeq = undefined;
      this.changed();
      return;
    }
    const detail = await this.try('step', { seq });
    if (!detail) return;
    this.opened.set(seq, detail);
    this.chosenSeq = seq;
    this.stopFollowing();
    this.changed();
    await this.loadTimeline();
    this.changed();
  }

  show(panel: Panel | undefined): void {
    this.panel = panel;
    this.changed();
  }

  /** The name of the derived values, or of the task, that a part begins with. */
  named: string | undefined;
  showNamed(panel: 'derived' | 'tasks', name: string): void {
    this.named = name;
    this.show(panel);
  }
  /** That name; it counts once. */
  takeNamed(): string | undefined {
    const { named } = this;
    this.named = undefined;
    return named;
  }

  isPinned(pointer: string, derived?: number): boolean {
    return this.pins.some((pin) => pin.pointer === pointer && pin.derived === derived);
  }
  togglePin(pin: Pin): void {
    const others = this.pins.filter((one) => one.pointer !== pin.pointer || one.derived !== pin.derived);
    const isPlace = pin.derived === undefined;
    const label = isPlace ? pin.pointer.split('/').slice(-3).join(' · ').replace(/^ · /, '') : pin.label;
    this.pins = others.length < this.pins.length ? others : [...this.pins, { ...pin, label }];
    this.changed();
  }

  /** Looks for steps. */
  lookFor(query: FindQuery): void {
    this.find = query;
    this.show('find');
    void this.loadTimeline().then(
      () => this.changed(),
      (error: unknown) => this.fail(error),
    );
  }

  showHistory(pointer: string): void {
    this.place = pointer;
    this.show('history');
  }

  // ---- doing ----

  /** Leaves the first action of the moment, or the chosen step, out; or takes it in again. */
  async exclude(seq: number, excluded: boolean, withCaused: boolean): Promise<void> {
    const result = await this.try(excluded ? 'exclude' : 'include', { seq, withCaused });
    if (!result) return;
    this.whatIf = result;
    this.stopFollowing();
    this.changed();
  }

  async send(type: string, payload: string | undefined): Promise<boolean> {
    const result = await this.try('send', payload === undefined ? { type } : { type, payload });
    if (!result) return false;
    this.isFollowing = true;
    this.forgetChoice();
    this.say({
      kind: 'done',
      text: `Sent ${type}: ${result.outcome}${result.seq === null ? '' : `, step ${result.seq}`}.`,
    });
    this.refresh();
    return true;
  }

  /** Runs a task again, with the arguments of the run that a step belongs to. */
  async runAgain(seq: number, label: string): Promise<void> {
    if (!(await this.try('runAgain', { seq }))) return;
    this.isFollowing = true;
    this.forgetChoice();
    this.say({ kind: 'done', text: `${label} runs again.` });
    this.refresh();
  }

  /** The whole history as the text of a trace file. */
  async exported(progress: (characters: number) => void): Promise<string> {
    const parts: string[] = [];
    let length = 0;
    for (let from: number | null = 0; from !== null;) {
      const part: Methods['export']['result'] = await this.ask('export', { from });
      parts.push(part.text);
      progress((length += part.text.length));
      from = part.next;
    }
    return parts.join('');
  }
}

/** Milliseconds: moments that are wanted in a shorter time follow each other. */
const MOVING = 50;

/** Milliseconds that a message stays. */
const DONE_STAYS = 8000;
const PROBLEM_STAYS = 30_000;

/** Milliseconds between two looks at what happens. */
const LIVE = 80;
/** Milliseconds between two changes that the application makes by itself, as messages that arrive: what is shown of them. */
const STREAM = 100;
const STREAMING = 250;
/** Milliseconds without another one after which the last of them is shown. */
const QUIET = 60;
/** Milliseconds between two looks at these while one sentence is shown. */
const FOLDED = 500;
/** Milliseconds between two looks at a file that is still read. */
const WHILE_READING = 400;
/** So many steps of it make a first picture. */
const A_PICTURE = 200;

/** What is asked of the application itself, though its history is read here. */
const COMMANDS: ReadonlySet<Method> = new Set([
  'send',
  'show',
  'live',
  'exclude',
  'include',
  'note',
  'switchTo',
  'nameBranch',
  'runAgain',
  'cancel',
  'edit',
  'forget',
  'rehydrate',
  'flush',
  'stored',
  'storedTexts',
]);
