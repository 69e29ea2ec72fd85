// The line of time: lanes of stores and tasks, with the chosen moment in a frame and its causes as threads.
import { html, nothing, svg, type TemplateResult, utcTicks } from './libraries.js';
import { duration, type BarShown, type MarkShown, type TimelineShown, type TimePiece } from '../ends/index.js';
import { clock, define, Part, plural, run } from './part.js';

/** Pixels of a lane, and above the first one: in a page, and in the strip of a docked inspector. */
const WIDE = { lane: 20, top: 14 };
const NARROW = { lane: 16, top: 8 };
/** Beside an open panel, all lanes are one. */
const FLAT = { lane: 0, top: 8 };
const LABELS = 112;
/** Pixels of a row of bars. */
const BAR = 8;

/** Larger than other classes, and its file than other files: one picture, and how it is used by pointer and keyboard. */
class TimeLine extends Part {
  private get sizes(): typeof WIDE {
    return this.isFlat ? FLAT : this.isStrip ? NARROW : WIDE;
  }
  static override properties = {
    ...Part.properties,
    isStrip: { attribute: false },
    isFlat: { attribute: false },
    lanesOpen: { state: true },
    hovered: { state: true },
  };
  /** A strip of a docked inspector: three lanes, around the moment. */
  declare isStrip: boolean;
  /** A strip beside an open panel: one lane, without times. */
  declare isFlat: boolean | undefined;
  /** What stands under the pointer, in words. */
  declare hovered: { readonly seq: number; readonly text: string } | undefined;
  declare lanesOpen: boolean | undefined;
  private room = 200;
  private readonly observer = new ResizeObserver(([entry]) => {
    this.room = this.roomOf(entry.contentRect.width);
    this.session.setWidth(this.room, this.isStrip);
    this.requestUpdate();
  });
  private drag: { readonly x: number; readonly from: number; readonly to: number; moved: boolean } | undefined;

  protected override readonly listensTo = ['change', 'time'];
  protected override shouldUpdate(): boolean {
    return !this.session.holds('time') || !this.hasUpdated;
  }

  private roomOf(width: number): number {
    return Math.max(160, Math.floor(width) - LABELS - 20);
  }

  override connectedCallback(): void {
    super.connectedCallback();
    this.observer.observe(this);
  }
  override disconnectedCallback(): void {
    super.disconnectedCallback();
    this.observer.disconnect();
  }

  override render(): TemplateResult | typeof nothing {
    const { timeline, status, moment } = this.session;
    if (!timeline || !status) return nothing;
    if (status.steps === 0) return html`<p class="quiet time-empty">No steps are recorded yet.</p>`;
    const width = timeline.pieces.length > 0 ? this.widthOf() : 200;
    const rows = timeline.lanes.length;
    const { lane: LANE, top: TOP } = this.sizes;
    const branches = TOP + rows * LANE + (this.hasTasks(timeline) ? BAR + 4 : 2);
    const axis = branches + timeline.branches.length * LANE;
    const height = this.isFlat ? 24 : axis + 16;
    const { seq } = this.session;
    return html`
      <div class="time-row">
        <div class="lanes">${this.isFlat ? html`<span class="lane-name">time</span>` : this.labels(timeline)}</div>
        <div
          class="time-area"
          role="slider"
          tabindex="0"
          aria-label="Line of time"
          aria-orientation="horizontal"
          aria-valuemin=${status.firstSeq ?? 0}
          aria-valuemax=${status.lastSeq ?? 0}
          aria-valuenow=${seq ?? 0}
          title=${this.hovered?.text ?? nothing}
          aria-valuetext=${moment ? `${moment.sentence}, ${clock(moment.time)}` : 'no step'}
          @keydown=${(event: KeyboardEvent) => this.key(event)}
          @wheel=${(event: WheelEvent) => this.wheel(event)}
          @pointerdown=${(event: PointerEvent) => this.press(event)}
          @pointermove=${(event: PointerEvent) => this.move(event)}
          @pointerup=${(event: PointerEvent) => this.release(event)}
        >
          <svg width=${width} height=${height} viewBox="0 0 ${width} ${height}" aria-hidden="true">
            ${this.picture(timeline, { width, branches, axis })}
          </svg>
        </div>
        <div class="zoom" role="group" aria-label="Zoom">
          <button title="Zoom in (+)" aria-label="Zoom in" @click=${() => run(this.zoom(0.5))}>+</button>
          <button title="Zoom out (−)" aria-label="Zoom out" @click=${() => run(this.zoom(2))}>−</button>
          <button title="The whole time (0)" aria-label="Show the whole time" @click=${() => run(this.whole())}>
            ⤢
          </button>
        </div>
      </div>
    `;
  }

  /** All that is drawn; below `branches` stand other branches, below `axis` the times. */
  private picture(
    timeline: TimelineShown,
    { width, branches, axis }: { readonly width: number; readonly branches: number; readonly axis: number },
  ): TemplateResult {
    const { status } = this.session;
    const { lane: LANE } = this.sizes;
    return svg`${
      timeline.chosen
        ? svg`<rect class="frame" x=${timeline.chosen.x0} y="3" rx="4" width=${Math.max(8, timeline.chosen.x1 - timeline.chosen.x0)} height=${this.isFlat ? 18 : branches - 4}></rect>`
        : nothing
    }
            ${timeline.lanes.map((_, lane) => svg`<line class="lane" x1="0" x2=${width} y1=${this.y(lane)} y2=${this.y(lane)}></line>`)}
            ${timeline.pieces.filter(({ idle }) => idle).map((piece) => idleFold(piece, branches))}
            ${this.isFlat ? nothing : this.axis(timeline, axis)}
            ${this.isFlat ? nothing : timeline.threads.map(({ x0, lane0, x1, lane1, by }) => svg`<path class="thread ${by}" d=${curve(x0, this.y(lane0), x1, this.y(lane1))}></path>`)}
            ${this.isFlat ? nothing : timeline.bars.map((bar) => this.bar(bar, timeline))}
            ${timeline.spans.map(
              ({ lane, x0, x1, settled, chosen }) =>
                svg`<path class="span ${settled} ${chosen ? 'chosen' : ''}" d="M${x0} ${this.y(lane)} H${Math.max(x0 + 2, x1)}"></path>${
                  settled === 'reverted'
                    ? svg`<text class="reverted" x=${x1 - 4} y=${this.y(lane) + 5}>↶</text>`
                    : nothing
                }`,
            )}
            ${timeline.marks.map((mark) => this.mark(mark))} ${this.chosenStart(timeline)}
            ${this.isFlat ? nothing : timeline.branches.map((branch, i) => this.branch(branch, branches + i * LANE + 10))}
            ${timeline.cursor === null ? nothing : svg`<path class="cursor" d="M${timeline.cursor} 0 V${this.isFlat ? 24 : axis}"></path>`}
            ${timeline.hasEnd && !this.isFlat ? svg`<text class="small now" x=${Math.min(width - 24, (timeline.pieces.at(-1)?.x1 ?? 0) + 8)} y="11">${status?.isLive ? 'now' : 'end'}</text>` : nothing}`;
  }

  private widthOf(): number {
    return this.room;
  }
  private hasTasks({ lanes }: TimelineShown): boolean {
    return lanes.at(-1)?.kind === 'tasks';
  }
  private y(lane: number): number {
    const { lane: height, top } = this.sizes;
    return top + lane * height + 4;
  }

  private labels({ lanes, moreLanes }: TimelineShown): TemplateResult {
    const { session } = this;
    return html`${lanes.map(
      ({ name, kind }) =>
        html`<span class="lane-name ${kind}" title=${kind === 'address' ? `${name}, the address of the page` : name}
          >${name}</span
        >`,
    )}
    ${
      moreLanes.length > 0 || session.stores
        ? html`<button
              class="link more-lanes"
              aria-expanded=${this.lanesOpen ?? false}
              @click=${() => (this.lanesOpen = !this.lanesOpen)}
            >
              ${session.stores ? 'lanes chosen' : `${moreLanes.length} more`}
            </button>
            ${
              this.lanesOpen
                ? this.chooser(
                    lanes.filter(({ kind }) => kind !== 'tasks').map(({ name }) => name),
                    moreLanes,
                  )
                : nothing
            }`
        : nothing
    }`;
  }

  private chooser(shown: readonly string[], more: readonly string[]): TemplateResult {
    const { session } = this;
    const choose = (name: string, on: boolean): void => {
      const chosen = on ? [...shown, name].slice(-6) : shown.filter((one) => one !== name);
      session.stores = chosen;
      run(session.loadTimeline().then(() => session.changed()));
    };
    return html`<div class="popover lanes-chooser" role="group" aria-label="Stores with a lane">
      ${[...shown, ...more].map(
        (name) =>
          html`<label
            ><input
              type="checkbox"
              .checked=${shown.includes(name)}
              @change=${(event: Event) => choose(name, (event.target as HTMLInputElement).checked)}
            />${name}</label
          >`,
      )}
      <button
        @click=${() => {
          session.stores = undefined;
          this.lanesOpen = false;
          run(session.loadTimeline().then(() => session.changed()));
        }}
      >
        Choose by the moment
      </button>
    </div>`;
  }

  /** The times below the lanes, and how long each folded stretch is; where two texts would collide, the longer stretch stays. */
  private axis({ pieces, from, to }: TimelineShown, y: number): TemplateResult | typeof nothing {
    if (to <= from) return nothing;
    const width = this.widthOf();
    const texts: { readonly from: number; readonly to: number }[] = [];
    const isFree = (start: number, end: number): boolean =>
      start >= 0 && end <= width && texts.every((text) => end + 8 < text.from || start - 8 > text.to);
    const drawn: TemplateResult[] = [];
    const idle = pieces.filter((piece) => piece.idle).sort((a, b) => b.to - b.from - (a.to - a.from));
    for (const piece of idle) {
      const text = `${duration(piece.to - piece.from)} idle`;
      const half = text.length * 2.8;
      const x = (piece.x0 + piece.x1) / 2;
      if (!isFree(x - half, x + half)) continue;
      texts.push({ from: x - half, to: x + half });
      drawn.push(svg`<text class="small middle" x=${x} y=${y + 12}>${text}</text>`);
    }
    for (const piece of pieces) {
      if (piece.idle) continue;
      const room = piece.x1 - piece.x0;
      const offset = new Date(piece.from).getTimezoneOffset() * 60_000;
      const span = piece.to - piece.from;
      const [start, stop] = [new Date(piece.from - offset), new Date(piece.to - offset)];
      const ticks = span > 0 ? utcTicks(start, stop, Math.max(1, Math.floor(room / 120))) : [];
      // Where they stand closer than seconds, seconds would be the same twice.
      const digits = ticks.some((tick) => tick.getTime() % 1000 !== 0) ? 23 : 19;
      for (const tick of ticks) {
        const x = Math.round((piece.x0 + ((tick.getTime() + offset - piece.from) / span) * room) * 10) / 10;
        const text = tick.toISOString().slice(11, digits);
        const length = text.length * 5.8;
        if (!isFree(x - 2, x + length)) continue;
        texts.push({ from: x - 2, to: x + length });
        drawn.push(svg`<path class="tick" d="M${x} ${y - 1} V${y + 4}"></path>`);
        drawn.push(svg`<text class="small" x=${x + 3} y=${y + 12}>${text}</text>`);
      }
    }
    return svg`${drawn}`;
  }

  private mark(mark: MarkShown): TemplateResult {
    const { lane, x, outcome, chosen, count, x1, coalesced, matches } = mark;
    const y = this.y(lane);
    const classes = `mark ${outcome} ${chosen ? 'chosen' : ''} ${matches ? 'matches' : ''}`;
    if (coalesced || count !== undefined) {
      const to = Math.max(x1 ?? x, x);
      const label = coalesced ? `${count ?? 1}` : '';
      const width = Math.max(to - x + 10, coalesced ? 12 + label.length * 6 : 10);
      return svg`<g class="band ${coalesced ? 'coalesced' : ''} ${classes}"><rect x=${x - 5} y=${y - 5} rx="5" width=${width} height="10"></rect>${
        coalesced ? svg`<text class="small" x=${x + 1} y=${y + 3.5}>${label}</text>` : nothing
      }${outcome === 'failed' || outcome === 'refused' ? cross(x, y) : nothing}</g>`;
    }
    switch (outcome) {
      case 'failed':
      case 'refused':
        return svg`<g class=${classes}>${cross(x, y)}</g>`;
      case 'stopped':
        return svg`<path class=${classes} d="M${x - 4} ${y} H${x + 4}"></path>`;
      case 'unchanged':
      case 'waiting':
      case 'reverted':
        return svg`<circle class="${classes} hollow" cx=${x} cy=${y} r="3.6"></circle>`;
      default:
        return svg`<circle class=${classes} cx=${x} cy=${y} r=${chosen ? 4.6 : 3.8}></circle>`;
    }
  }

  private bar({ row, x0, x1, phase, retries, chosen }: BarShown, { lanes }: TimelineShown): TemplateResult {
    const y = this.y(lanes.length - 1) - 4 + row * (BAR + 1);
    const classes = `bar ${phase} ${chosen ? 'chosen' : ''}`;
    return svg`<g class=${classes}>
      <rect x=${x0} y=${y} rx="2" width=${Math.max(3, x1 - x0)} height=${BAR - 1}></rect>
      ${retries.map((x) => svg`<path class="retry" d="M${x} ${y - 1} V${y + BAR}"></path>`)}
      ${phase === 'failed' ? cross(x1, y + 3.5) : phase === 'cancelled' ? svg`<path class="cut" d="M${x1} ${y - 2} V${y + BAR + 1}"></path>` : nothing}
    </g>`;
  }

  /** Where the user did something: the beginning of the moment. */
  private chosenStart({ chosen, lanes }: TimelineShown): TemplateResult | typeof nothing {
    const { moment } = this.session;
    if (!chosen || moment?.by !== 'user') return nothing;
    return svg`<circle class="mark user" cx=${chosen.x0 + 8} cy=${this.y(lanes.length - 1)} r="4.6"></circle>`;
  }

  private branch({ name, x0, x1, lane, marks, id }: TimelineShown['branches'][number], y: number): TemplateResult {
    const from = this.y(lane);
    const open = (): void => this.session.show('branches');
    // Where the row ends near the edge, its name stands before it.
    const isRight = x1 + 140 > this.widthOf() && x0 > 140;
    return svg`<g class="branch" @click=${open} data-branch=${id}>
      <path d="M${x0} ${from} C ${x0 + 14} ${from}, ${x0 + 4} ${y}, ${x0 + 22} ${y} H${x1}"></path>
      ${marks.map(({ x }) => svg`<circle cx=${x} cy=${y} r="3"></circle>`)}
      <text class="small ${isRight ? 'ends' : ''}" x=${isRight ? x0 - 6 : x1 + 6} y=${y + 4}>branch “${name}”</text>
    </g>`;
  }

  // ---- moving ----

  private key(event: KeyboardEvent): void {
    const { session } = this;
    const moves: Record<string, () => Promise<void>> = {
      ArrowLeft: () => (event.shiftKey ? session.go(-1) : this.step(-1)),
      ArrowRight: () => (event.shiftKey ? session.go(1) : this.step(1)),
      PageUp: () => this.step(-100),
      PageDown: () => this.step(100),
      Home: () => this.step(-Infinity),
      End: () => session.follow(),
      '+': () => this.zoom(0.5),
      '=': () => this.zoom(0.5),
      '-': () => this.zoom(2),
      '0': () => this.whole(),
    };
    const move = moves[event.key];
    if (!move || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    run(move());
  }

  private async step(by: number): Promise<void> {
    const { session } = this;
    const { seq, status } = session;
    if (seq === undefined || !status) return;
    const most = status.steps;
    const { seq: to } = await session.ask('near', { seq, by: Math.max(-most, Math.min(most, by)) });
    await session.lookAtStep(to);
  }

  /** The window that is shown now. */
  private get shownWindow(): { readonly from: number; readonly to: number } | undefined {
    const { timeline } = this.session;
    return timeline && { from: timeline.from, to: timeline.to };
  }

  private async show(window: { readonly from: number; readonly to: number } | undefined): Promise<void> {
    this.session.window = window;
    await this.session.loadTimeline();
    this.session.changed();
  }

  private async whole(): Promise<void> {
    const { status } = this.session;
    if (status?.from == null || status.to == null) return;
    await this.show(this.isStrip && !this.session.window ? { from: status.from, to: status.to } : undefined);
  }

  private async zoom(by: number, at?: number): Promise<void> {
    const { status, moment } = this.session;
    const shown = this.shownWindow;
    if (!shown || status?.from == null || status.to == null) return;
    const centre = at ?? moment?.time ?? (shown.from + shown.to) / 2;
    const inside = Math.min(Math.max(centre, shown.from), shown.to);
    const length = Math.max(1, (shown.to - shown.from) * by);
    const share = shown.to > shown.from ? (inside - shown.from) / (shown.to - shown.from) : 0.5;
    const from = Math.max(status.from, inside - length * share);
    const to = Math.min(status.to, from + length);
    await this.show(from <= status.from && to >= status.to ? undefined : { from, to });
  }

  private timeAt(x: number): number {
    const { timeline } = this.session;
    const pieces = timeline?.pieces ?? [];
    const piece = pieces.find(({ x1 }) => x <= x1) ?? pieces.at(-1);
    if (!piece) return 0;
    const share = piece.x1 > piece.x0 ? (x - piece.x0) / (piece.x1 - piece.x0) : 0;
    return piece.from + Math.min(Math.max(share, 0), 1) * (piece.to - piece.from);
  }

  private xOf(event: MouseEvent): number {
    const area = this.querySelector('.time-area svg')!.getBoundingClientRect();
    return event.clientX - area.left;
  }

  private wheel(event: WheelEvent): void {
    if (!event.ctrlKey && !event.metaKey && !event.shiftKey && Math.abs(event.deltaX) < Math.abs(event.deltaY)) return;
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) {
      run(this.zoom(event.deltaY > 0 ? 1.25 : 0.8, this.timeAt(this.xOf(event))));
      return;
    }
    run(this.pan((event.deltaX || event.deltaY) / this.widthOf()));
  }

  private async pan(share: number): Promise<void> {
    const { status } = this.session;
    const shown = this.shownWindow;
    if (!shown || status?.from == null || status.to == null) return;
    const length = shown.to - shown.from;
    const from = Math.min(
      Math.max(status.from, shown.from + share * length),
      Math.max(status.from, status.to - length),
    );
    await this.show({ from, to: from + length });
  }

  private press(event: PointerEvent): void {
    const shown = this.shownWindow;
    if (event.button !== 0 || !shown) return;
    const bar = this.barAt(event);
    if (bar && !this.session.isChoosingRange) {
      // A bar is a run: it leads to it.
      this.session.show('tasks');
      run(this.session.lookAtStep(bar.seq));
      return;
    }
    this.drag = { x: this.xOf(event), ...shown, moved: false };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    run(this.chooseAt(this.drag.x));
  }
  /** The bar under the pointer. */
  private barAt(event: PointerEvent): BarShown | undefined {
    const { timeline } = this.session;
    if (!timeline || this.isFlat || !this.hasTasks(timeline)) return undefined;
    const x = this.xOf(event);
    const y = event.clientY - this.querySelector('.time-area svg')!.getBoundingClientRect().top;
    const top = this.y(timeline.lanes.length - 1) - 4;
    const row = Math.floor((y - top) / (BAR + 1));
    return timeline.bars.find((bar) => bar.row === row && bar.x0 <= x && x <= Math.max(bar.x1, bar.x0 + 3));
  }

  private move(event: PointerEvent): void {
    const { drag } = this;
    if (!drag) {
      run(this.hover(this.xOf(event)));
      return;
    }
    const x = this.xOf(event);
    if (Math.abs(x - drag.x) < 3 && !drag.moved) return;
    drag.moved = true;
    run(this.chooseAt(x));
  }
  private release(event: PointerEvent): void {
    this.drag = undefined;
    (event.currentTarget as Element).releasePointerCapture(event.pointerId);
  }

  /** Tells the time and the sentence of the mark under the pointer. */
  private async hover(x: number): Promise<void> {
    const seq = this.nearestMark(x);
    if (seq === this.hovered?.seq) return;
    this.hovered = seq === undefined ? undefined : { seq, text: `step ${seq}` };
    if (seq === undefined) return;
    const moment = await this.session.ask('moment', { seq });
    if (moment && this.hovered?.seq === seq) this.hovered = { seq, text: `${clock(moment.time)}  ${moment.sentence}` };
  }

  private wantedX: number | undefined;
  private choosing = false;
  /** Chooses the step under the pointer; while one choice is under way, only the last one after it. */
  private async chooseAt(x: number): Promise<void> {
    this.wantedX = x;
    if (this.choosing) return;
    this.choosing = true;
    try {
      while (this.wantedX !== undefined) {
        const wanted = this.wantedX;
        this.wantedX = undefined;
        await this.choose(wanted);
      }
    } finally {
      this.choosing = false;
    }
  }

  private async choose(x: number): Promise<void> {
    const { session } = this;
    const nearest = this.nearestMark(x);
    const seq = nearest ?? (await session.ask('at', { time: this.timeAt(x) })).seq;
    if (seq === null) return;
    if (session.isChoosingRange) session.chooseForRange(seq);
    else await session.lookAtStep(seq);
  }

  private nearestMark(x: number): number | undefined {
    let found: number | undefined;
    let least = 9;
    for (const { x: at, x1, seq } of this.session.timeline?.marks ?? []) {
      // A band holds many steps: which one is meant, its time says.
      if (x1 !== undefined) continue;
      const distance = Math.abs(at - x);
      if (distance < least) [found, least] = [seq, distance];
    }
    return found;
  }
}

const cross = (x: number, y: number): TemplateResult =>
  svg`<path class="cross" d="M${x - 4} ${y - 4} l8 8 m0 -8 l-8 8"></path>`;

function curve(x0: number, y0: number, x1: number, y1: number): string {
  const bend = Math.max(4, Math.min(14, (x1 - x0) * 0.6));
  return `M${x0} ${y0} C ${x0 + bend} ${y0}, ${x1 - bend} ${y1}, ${x1} ${y1}`;
}

/** A stretch in which nothing happened, folded. */
function idleFold({ from, to, x0, x1 }: TimePiece, height: number): TemplateResult {
  const x = (x0 + x1) / 2;
  let path = `M${x - 3} 2`;
  for (let y = 2, side = 1; y < height - 2; y += 8, side = -side) path += ` l${side * 6} 8`;
  return svg`<g class="idle"><path d=${path}></path><title>${duration(to - from)} without a step</title></g>`;
}

export const summaryOf = (steps: number, from: number | null, to: number | null, problems: number): string =>
  [
    plural(steps, 'step'),
    ...(from !== null && to !== null && to > from ? [duration(to - from)] : []),
    ...(problems > 0 ? [plural(problems, 'problem')] : []),
  ].join(' · ');

export const defineTimeLine = (): void => define('floe-time', TimeLine);
