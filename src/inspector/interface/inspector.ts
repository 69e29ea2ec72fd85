// The inspector as a whole: docked in a page, or a page of its own. It holds one session, and those of opened files beside it.
import { html, LitElement, nothing, type TemplateResult } from './libraries.js';
import { channelPair, checkBegin, linkRecording, RecordedHistory } from '../ends/index.js';
import { messageOf } from '../../core/internal.js';
import { hasMore, loadMore, onMore, stylesOfMore } from './on-demand.js';
import { isField } from './fields.js';
import { applicationText, clock, define, plural, run } from './part.js';
import { Session, type Panel } from './session.js';
import { fileButton, newer, noSession, problems, states, stopped } from './session-states.js';
import { inspectorStyles } from './inspector.styles.js';
import { momentStyles } from './moment.styles.js';
import { besideStyles } from './beside.styles.js';
import { narrowStyles } from './narrow.styles.js';
import { partStyles } from './part.styles.js';
import { stateStyles } from './state.styles.js';
import { timeLineStyles } from './time-line.styles.js';
import { tokens } from './tokens.styles.js';
import { summaryOf } from './time-line.js';
import { defineCommands } from './commands.js';
import { defineMoment } from './moment.js';
import { defineState } from './state.js';
import { defineTimeLine } from './time-line.js';
import { defineTree } from './tree.js';

export type Dock = 'bottom' | 'left' | 'right' | 'page';

/** Pixels: a dock at the bottom is no higher at first, one at a side no wider. */
const SIZE = { bottom: 320, left: 460, right: 460 } as const;
const LEAST = 120;

declare global {
  interface HTMLElementTagNameMap {
    'floe-inspector': InspectorElement;
  }
}

const STYLES = [tokens, partStyles, inspectorStyles, momentStyles, timeLineStyles, stateStyles, besideStyles];

/** Larger than other classes, and its file than other files: one element, docked and as a page, with its templates. */
export class InspectorElement extends LitElement {
  static override properties = {
    sessions: { attribute: false },
    at: { state: true },
    dock: { attribute: false },
    folded: { attribute: false },
    size: { state: true },
    dropping: { state: true },
    listsKeys: { state: true },
    problem: { state: true },
  };
  /** What is wrong while there is no session yet. */
  declare problem: string | undefined;
  /** All keys are listed. */
  declare listsKeys: boolean | undefined;
  /** The key of the page that opens and folds it. */
  toggleKey: string | undefined;
  onPageKey: ((event: KeyboardEvent) => void) | undefined;
  declare sessions: readonly Session[];
  /** Which of the sessions is shown. */
  declare at: number;
  declare dock: Dock;
  declare folded: boolean;
  declare size: number | undefined;
  declare dropping: boolean;
  /** Where the size is told, so that the page can make room. */
  onSize: ((pixels: number) => void) | undefined;
  private sizeGiven = '';
  private readonly redraw = (): void => this.requestUpdate();
  private watched: Session | undefined;

  constructor() {
    super();
    this.sessions = [];
    this.at = 0;
    this.dock = 'bottom';
    this.folded = false;
    this.size = undefined;
    this.dropping = false;
  }

  get session(): Session | undefined {
    return this.sessions[this.at];
  }

  /** Style sheets are made for the document that the element stands in: it may be that of a frame. */
  protected override createRenderRoot(): ShadowRoot {
    const root = this.shadowRoot ?? this.attachShadow({ mode: 'open' });
    this.adoptSheets(root);
    return root;
  }
  adoptedCallback(): void {
    if (this.shadowRoot) this.adoptSheets(this.shadowRoot);
  }
  private adoptSheets(root: ShadowRoot): void {
    const { CSSStyleSheet: Sheet } = this.view;
    root.adoptedStyleSheets = [...STYLES, ...stylesOfMore(), narrowStyles].map(({ cssText }) => {
      const sheet = new Sheet();
      sheet.replaceSync(cssText);
      return sheet;
    });
  }
  private get view(): Window & typeof globalThis {
    return this.ownerDocument.defaultView ?? window;
  }

  protected override willUpdate(): void {
    const { session } = this;
    if (this.watched !== session) {
      this.watched?.removeEventListener('change', this.redraw);
      this.watched = session;
      session?.addEventListener('change', this.redraw);
      if (session) session.view = this.view;
    }
    session?.fold(this.folded && this.dock !== 'page');
  }

  protected override updated(): void {
    this.setAttribute('data-dock', this.dock);
    this.toggleAttribute('data-folded', this.folded);
    // Each time that the page learns it, it is laid out again.
    const size = `${this.dock} ${this.folded ? FOLDED : this.pixels}`;
    if (size !== this.sizeGiven && this.onSize) {
      this.sizeGiven = size;
      this.onSize(this.folded ? FOLDED : this.pixels);
    }
    if (this.dock === 'page')
      this.ownerDocument.title = `${this.session ? `${this.session.title} · ` : ''}Floe inspector`;
  }

  private get pixels(): number {
    return this.dock === 'page' ? 0 : (this.size ?? SIZE[this.dock]);
  }

  /** It has been in a document. */
  isMounted = false;
  override connectedCallback(): void {
    super.connectedCallback();
    this.isMounted = true;
    // Also where nothing in it has the focus: the document is its own.
    this.keysOf = this.ownerDocument;
    this.keysOf.addEventListener('keydown', this.pressed);
    this.stopMore = onMore(() => this.adoptSheets(this.shadowRoot!));
  }
  private stopMore: (() => void) | undefined;
  private keysOf: Document | undefined;
  private readonly pressed = (event: KeyboardEvent): void => {
    if (this.session) this.key(event, this.session);
  };

  /** Another one in its place: a document that is gone has taken all that listened in it along. */
  renewed(): InspectorElement {
    const next = document.createElement('floe-inspector');
    const { sessions, at, dock, folded, size } = this;
    Object.assign(next, { sessions, at, dock, folded, size });
    this.remove();
    return next;
  }

  override disconnectedCallback(): void {
    super.disconnectedCallback();
    this.keysOf?.removeEventListener('keydown', this.pressed);
    this.stopMore?.();
    this.watched?.removeEventListener('change', this.redraw);
    this.watched = undefined;
  }

  override render(): TemplateResult | typeof nothing {
    const { session, dock } = this;
    if (!session && dock !== 'page') return nothing;
    const drops = {
      dragover: (event: DragEvent) => {
        if (!event.dataTransfer?.types.includes('Files')) return;
        event.preventDefault();
        this.dropping = true;
      },
      leave: () => (this.dropping = false),
      drop: (event: DragEvent) => {
        event.preventDefault();
        this.dropping = false;
        for (const file of event.dataTransfer?.files ?? []) run(this.openFile(file));
      },
    };
    return html`<section
      class="whole ${dock} ${this.folded && dock !== 'page' ? 'folded' : ''} ${session?.notice ? 'with-notice' : ''}"
      role=${dock === 'page' ? 'main' : 'region'}
      aria-label="Inspector"
      @dragover=${drops.dragover}
      @dragleave=${drops.leave}
      @drop=${drops.drop}
      @open-file=${(event: CustomEvent<File>) => run(this.openFile(event.detail))}
    >
      ${session ? (dock === 'page' ? this.page(session) : this.folded ? this.line(session) : this.docked(session)) : noSession(this.problem, (file) => run(this.openFile(file)))}
      ${this.listsKeys ? html`<floe-keys .own=${this.toggleKey} @close-keys=${() => (this.listsKeys = false)}></floe-keys>` : nothing}
      ${this.dropping ? html`<div class="drop">Drop a session to open it</div>` : nothing}
    </section>`;
  }

  /** The inspector is opened by a key: it has the focus. */
  takeFocus(): void {
    this.view.focus();
    this.shadowRoot?.querySelector<HTMLElement>('.commands button:not([disabled])')?.focus();
  }

  private key(event: KeyboardEvent, session: Session): void {
    if (event.key === this.toggleKey) this.onPageKey?.(event);
    const { key, shiftKey, ctrlKey, metaKey, altKey } = event;
    if (key === 'Escape') {
      if (this.listsKeys) this.listsKeys = false;
      else if (session.notice) session.say(undefined);
      else if (session.panel && this.dock !== 'page') this.openPanel(session, session.panel);
      return;
    }
    if (ctrlKey || metaKey || altKey || isField(event)) return;
    const panel = this.panels[Number(key) - 1];
    if (key === '?')
      void loadMore().then(() => {
        this.listsKeys = !this.listsKeys;
      });
    else if (key === '/') this.openPanel(session, 'find', true);
    else if (shiftKey && key === 'ArrowLeft') run(session.go(-1));
    else if (shiftKey && key === 'ArrowRight') run(session.go(1));
    else if (panel) this.openPanel(session, panel);
    else return;
    event.preventDefault();
  }

  /** Opens a part, whose field gets the focus, or closes the one that is open. */
  private openPanel(session: Session, panel: Panel, stays = false): void {
    session.show(session.panel === panel && !stays ? undefined : panel);
    if (session.panel === undefined) {
      // What had the focus may be gone with the part.
      run(this.updateComplete.then(() => this.shadowRoot?.querySelector<HTMLElement>('.side button')?.focus()));
      return;
    }
    const field = (): HTMLElement | null | undefined =>
      this.shadowRoot?.querySelector('.panel input[type=search], .head input[type=search]');
    const loaded = ON_DEMAND.has(panel) ? loadMore() : Promise.resolve();
    run(
      loaded.then(async () => {
        await new Promise((resolve) => requestAnimationFrame(resolve));
        this.scrollToPart();
        if (session.panel === 'find' || session.panel === 'derived') field()?.focus();
      }),
    );
  }

  /** In a narrow window a part stands below what changed. */
  private scrollToPart(): void {
    const body = this.shadowRoot?.querySelector<HTMLElement>('.body');
    const part = body?.querySelector<HTMLElement>('.panel');
    if (body && part && body.scrollHeight > body.clientHeight) body.scrollTop = part.offsetTop - body.offsetTop;
  }

  /** A message, in a line of its own: it covers nothing. */
  private notice({ notice }: Session): TemplateResult | typeof nothing {
    if (!notice) return nothing;
    return html`<div class="notice ${notice.kind}" role=${notice.kind === 'problem' ? 'alert' : 'status'}>
      <span>${notice.text}</span
      ><button aria-label="Close the message" @click=${() => this.session?.say(undefined)}>✕</button>
    </div>`;
  }

  // ---- docked ----

  /** Folded: one line. */
  private line(session: Session): TemplateResult {
    const { moment, status } = session;
    return html`<button class="unfold" aria-expanded="false" @click=${() => (this.folded = false)}>
      <span class="who ${moment?.by ?? ''}" aria-hidden="true"></span>
      <span class="sentence">${this.sentence(session)}</span>
      ${status && status.problems > 0 ? html`<span class="bad">✕ ${plural(status.problems, 'problem')}</span>` : html`<span class="quiet">no problems</span>`}
      <span class="quiet" aria-hidden="true">▴</span><span class="for-readers">Unfold the inspector</span>
    </button>`;
  }

  private sentence(session: Session): string {
    const { moment, status, ended } = session;
    if (ended !== undefined) return ended;
    if (moment) return moment.sentence;
    if (status?.problem && status.steps === 0) return status.problem.message;
    return status ? 'No steps are recorded yet' : 'Waiting for the other end of the link …';
  }

  private docked(session: Session): TemplateResult {
    const { moment, panel } = session;
    const isFlat = panel !== undefined && this.dock === 'bottom';
    return html`
      ${this.resizer()}
      <header class="say">
        <span class="who ${moment?.by ?? ''}" aria-hidden="true"></span>
        <p class="sentence" role="status">${this.sentence(session)}</p>
        ${stopped(session)} ${newer(session)} ${problems(session)}
        ${moment ? html`<time datetime=${new Date(moment.time).toISOString()}>${clock(moment.time)}</time>` : nothing}
        <floe-commands .session=${session}></floe-commands>
      </header>
      <div class="under">
        ${this.notice(session)}${this.later(session.pins.length > 0, () => html`<floe-pins .session=${session}></floe-pins>`)}
      </div>
      <div class="body ${panel ? 'with-panel' : ''}">
        <div class="column">
          ${this.unusual(session)}${this.later(session.whatIf !== undefined, () => html`<floe-what-if .session=${session}></floe-what-if>`)}<floe-changes
            .session=${session}
          ></floe-changes
          >${panel ? html`<floe-causes .session=${session}></floe-causes>` : nothing}
        </div>
        <div
          class="column ${panel ? `panel ${panel}` : ''}"
          role=${panel ? 'tabpanel' : nothing}
          aria-label=${panel ? PANELS[panel] : nothing}
        >
          ${panel ? this.panelView(session, panel) : html`<floe-causes .session=${session}></floe-causes>`}
        </div>
      </div>
      <floe-time
        class="strip ${isFlat ? 'flat' : ''}"
        .session=${session}
        .isStrip=${true}
        .isFlat=${isFlat}
      ></floe-time>
      ${this.side(session)}
    `;
  }

  private resizer(): TemplateResult {
    const isBottom = this.dock === 'bottom';
    return html`<div
      class="resizer"
      role="separator"
      tabindex="0"
      aria-label="Size of the inspector"
      aria-orientation=${isBottom ? 'horizontal' : 'vertical'}
      aria-valuenow=${Math.round(this.pixels)}
      aria-valuemin=${LEAST}
      aria-valuemax=${this.most}
      @pointerdown=${(event: PointerEvent) => this.resize(event)}
      @keydown=${(event: KeyboardEvent) => {
        const by = {
          ArrowUp: 20,
          ArrowLeft: this.dock === 'left' ? -20 : 20,
          ArrowDown: -20,
          ArrowRight: this.dock === 'left' ? 20 : -20,
        }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        this.setSize(this.pixels + by);
      }}
    ></div>`;
  }

  private get most(): number {
    return Math.round((this.dock === 'bottom' ? window.innerHeight : window.innerWidth) * 0.8);
  }

  /** The window has another size: the inspector leaves room for the page. */
  clamp(): void {
    if (this.dock !== 'page' && this.pixels > this.most) this.setSize(this.most);
  }

  private setSize(pixels: number): void {
    this.size = Math.max(LEAST, Math.min(pixels, this.most));
  }

  private resize(event: PointerEvent): void {
    const resizer = event.currentTarget as HTMLElement;
    resizer.setPointerCapture(event.pointerId);
    const move = (moved: PointerEvent): void => {
      // Where its frame stands in the page now.
      const { left = 0, top = 0 } = this.view.frameElement?.getBoundingClientRect() ?? {};
      const pixels =
        this.dock === 'bottom'
          ? window.innerHeight - (top + moved.clientY)
          : this.dock === 'right'
            ? window.innerWidth - (left + moved.clientX)
            : left + moved.clientX;
      this.setSize(pixels);
    };
    const end = (): void => {
      resizer.removeEventListener('pointermove', move);
      resizer.removeEventListener('pointerup', end);
    };
    resizer.addEventListener('pointermove', move);
    resizer.addEventListener('pointerup', end);
  }

  private side(session: Session): TemplateResult {
    return html`<nav
      class="side"
      aria-label="Parts of the inspector"
      @keydown=${(event: KeyboardEvent) => moveFocus(event)}
    >
      ${this.panels.map((panel) => {
        const isOpen =
          session.panel === panel ||
          (panel === 'state' && session.panel === 'history') ||
          (panel === 'session' && session.panel === 'branches');
        return html`<button
          aria-expanded=${isOpen}
          class=${isOpen ? 'on' : ''}
          @click=${() => this.openPanel(session, panel)}
        >
          ${PANELS[panel]}
        </button>`;
      })}
      <span class="side-ends">
        ${
          this.dock === 'bottom'
            ? html`<button
                aria-label="Dock to the right"
                title="Dock to the right"
                @click=${() => this.moveTo('right')}
              >
                ◨
              </button>`
            : html`<button
                aria-label="Dock to the bottom"
                title="Dock to the bottom"
                @click=${() => this.moveTo('bottom')}
              >
                ⬓
              </button>`
        }
        <button aria-label="Fold the inspector" title="Fold" @click=${() => (this.folded = true)}>▾</button>
      </span>
    </nav>`;
  }

  private get panels(): readonly Panel[] {
    return this.dock === 'page'
      ? ['state', 'derived', 'tasks', 'stored', 'figures', 'model', 'history', 'branches']
      : ['state', 'derived', 'tasks', 'stored', 'figures', 'model', 'find', 'session'];
  }

  private moveTo(dock: Dock): void {
    this.dock = dock;
    this.size = undefined;
  }

  // ---- a page ----

  private head(session: Session): TemplateResult {
    const { status } = session;
    return html`
      <header class="head">
        ${this.sessions.length > 1 ? this.sessionTabs() : html`<b>${session.title}</b>`}
        <span class="quiet">${status ? summaryOf(status.steps, status.from, status.to, 0) : 'opening …'}</span>
        ${stopped(session)} ${problems(session)}
        <input
          type="search"
          aria-label="Find a step, a value, a store, a cause"
          placeholder="Find a step, a value, a store, a cause …"
          .value=${session.find.text ?? ''}
          @focus=${() => session.show('find')}
          @input=${(event: Event) => {
            session.lookFor({ ...session.find, text: (event.target as HTMLInputElement).value });
          }}
        />
        ${fileButton('Open…', (file) => run(this.openFile(file)))}
        <button
          @click=${() => session.show(session.panel === 'session' ? 'state' : 'session')}
          aria-expanded=${session.panel === 'session'}
        >
          Session
        </button>
      </header>
    `;
  }

  private page(session: Session): TemplateResult {
    const { moment } = session;
    const panel = session.panel ?? 'state';
    return html`
      ${this.head(session)}
      <div class="under">
        ${this.notice(session)}${this.later(session.pins.length > 0, () => html`<floe-pins .session=${session}></floe-pins>`)}
      </div>
      <floe-time class="line" .session=${session} .isStrip=${false}></floe-time>
      <div class="halves">
        <div class="moment">
          ${this.unusual(session)}
          ${
            moment
              ? html`<h1><span class="who ${moment.by}" aria-hidden="true"></span>${moment.sentence}</h1>
                  <p class="meta">
                    <time datetime=${new Date(moment.time).toISOString()}>${clock(moment.time)}</time
                    >${newer(session)}${stepsText(moment.first, moment.last)}${moment.outcome === 'applied' || moment.outcome === 'unchanged' || moment.outcome === 'nothing' ? nothing : html` · <b class="bad">${moment.outcome}${moment.reason ? `: “${moment.reason}”` : ''}</b>`}
                  </p>`
              : nothing
          }
          <floe-commands .session=${session}></floe-commands>
          ${this.later(session.whatIf !== undefined, () => html`<floe-what-if .session=${session}></floe-what-if>`)}
          <floe-changes .session=${session}></floe-changes>
          <floe-causes .session=${session}></floe-causes>
        </div>
        <div class="panel ${panel}">
          <nav class="tabs" aria-label="Parts of the inspector" @keydown=${(event: KeyboardEvent) => moveFocus(event)}>
            ${this.panels.map((one) => html`<button aria-current=${one === panel ? 'true' : nothing} class=${one === panel ? 'on' : ''} @click=${() => session.show(one)}>${PANELS[one]}</button>`)}
          </nav>
          <div class="panel-body">${this.panelView(session, panel)}</div>
        </div>
      </div>
    `;
  }

  private sessionTabs(): TemplateResult {
    return html`<span class="sessions" role="group" aria-label="Sessions">
      ${this.sessions.map(
        (one, i) =>
          html`<button aria-pressed=${i === this.at} class=${i === this.at ? 'on' : ''} @click=${() => (this.at = i)}>
              ${one.title}${one.status?.application && one.status.application.name !== one.title ? html` <small>${applicationText(one.status.application)}</small>` : nothing}
            </button>
            ${!one.isOpened && one.ended === undefined ? nothing : html`<button aria-label="Close ${one.title}" title="Close" @click=${() => this.closeSession(one)}>✕</button>`}`,
      )}
    </span>`;
  }

  closeSession(session: Session): void {
    const shown = this.session;
    session.end('It was closed.');
    this.sessions = this.sessions.filter((one) => one !== session);
    this.at = Math.max(0, this.sessions.indexOf(shown!));
  }

  private unusual(session: Session): TemplateResult | typeof nothing {
    const hasTabs = this.sessions.length > 1 && this.dock !== 'page';
    return states(session, { first: this.sessions[0], tabs: hasTabs ? this.sessionTabs() : undefined });
  }

  /** What is loaded on demand: it is drawn as soon as it is there. */
  private later(isWanted: boolean, view: () => TemplateResult): TemplateResult | typeof nothing {
    if (!isWanted) return nothing;
    if (hasMore()) return view();
    void loadMore().then(() => this.requestUpdate());
    return nothing;
  }

  private panelView(session: Session, panel: Panel): TemplateResult {
    if (ON_DEMAND.has(panel) && this.later(true, () => html``) === nothing) return html`<p class="quiet">Loading …</p>`;
    switch (panel) {
      case 'state':
        return html`<floe-state .session=${session}></floe-state>`;
      case 'derived':
        return html`<floe-derived .session=${session}></floe-derived>`;
      case 'tasks':
        return html`<floe-tasks .session=${session}></floe-tasks>`;
      case 'stored':
        return html`<floe-stored .session=${session}></floe-stored>`;
      case 'figures':
        return html`<floe-figures .session=${session}></floe-figures>`;
      case 'model':
        return html`<floe-model .session=${session}></floe-model>`;
      case 'find':
        return html`<floe-find .session=${session}></floe-find>`;
      case 'history':
        return html`<floe-history .session=${session}></floe-history>`;
      case 'branches':
        return html`<floe-branches .session=${session}></floe-branches>`;
      case 'session':
        return html`<floe-files .session=${session}></floe-files>`;
    }
  }

  // ---- sessions ----

  /** Shows another session, in the place of an ended one of that name: an application that was loaded again. */
  addSession(session: Session): void {
    const sessions = [...this.sessions];
    const old = sessions.findIndex(({ ended, title }) => ended !== undefined && title === session.title);
    const isFree = this.session === undefined || this.session.ended !== undefined;
    if (old >= 0) session.continues(sessions[old]);
    sessions.splice(old < 0 ? sessions.length : old, 1, session);
    this.sessions = sessions;
    if (isFree) this.at = sessions.indexOf(session);
  }

  /** Opens a recording beside the others. */
  async openFile(file: Pick<File, 'name' | 'text'>): Promise<void> {
    const text = await file.text();
    try {
      // Its first line tells whether it is a session at all.
      checkBegin(text);
    } catch (error) {
      if (this.session) this.session.fail(error);
      else this.problem = `${file.name}: ${messageOf(error)}`;
      return;
    }
    const recorded = new RecordedHistory();
    const [ours, theirs] = channelPair();
    linkRecording(recorded, theirs, { name: file.name });
    const session = new Session(ours, file.name);
    session.isOpened = true;
    this.sessions = [...this.sessions, session];
    this.at = this.sessions.length - 1;
    this.folded = false;
    try {
      await recorded.read(text);
    } catch (error) {
      session.fail(error);
    }
    const { problem, source } = recorded;
    if (!problem || source.end > source.first) return;
    // Nothing of it could be read.
    this.closeSession(session);
    this.problem = `${file.name}: ${problem.message}`;
    this.session?.say({ kind: 'problem', text: this.problem });
  }
}

/** The arrow keys go from one part to the next. */
function moveFocus(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
  if (by === undefined || event.shiftKey) return;
  const buttons = [...(event.currentTarget as Element).querySelectorAll<HTMLElement>(':scope > button')];
  const at = buttons.indexOf(event.target as HTMLElement);
  buttons[(at + by + buttons.length) % buttons.length]?.focus();
  event.preventDefault();
}

/** Pixels of the folded inspector. */
const FOLDED = 34;

/** Parts whose code is loaded when they are opened. */
const ON_DEMAND: ReadonlySet<Panel> = new Set<Panel>([
  ...(['derived', 'tasks', 'stored', 'figures', 'model', 'find', 'history', 'session', 'branches'] as const),
]);

const PANELS: Readonly<Record<Panel, string>> = {
  state: 'State',
  derived: 'Derived',
  tasks: 'Tasks',
  stored: 'Stored',
  figures: 'Figures',
  model: 'Model',
  find: 'Find',
  session: 'Session',
  history: 'History',
  branches: 'Branches',
};

function stepsText(first: number | null, last: number | null): string {
  if (first === null) return ' · no step';
  return first === last ? ` · step ${first}` : ` · steps ${first} to ${last}`;
}

export function defineInspector(): void {
  defineTree();
  defineState();
  defineCommands();
  defineMoment();
  defineTimeLine();
  define('floe-inspector', InspectorElement);
}
