// What a developer does with a step: leave it out, send it again, take a test from it, note something, move the page there.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { StepDetail } from '../ends/index.js';
import type { Form, SentAction } from './command-forms.js';
import { loadMore } from './on-demand.js';
import { copy, define, Part, run } from './part.js';

/** What it is called, what it does, and why it cannot be done. */
type MenuItem = readonly [label: string, act: (() => void) | undefined, why?: string | undefined];

/** The buttons beside the sentence, and the menu. */
class Commands extends Part {
  static override properties = {
    ...Part.properties,
    menu: { state: true },
    form: { state: true },
    code: { state: true },
  };
  declare menu: boolean | undefined;
  declare form: Form | undefined;
  declare code: SentAction | undefined;

  /** The step that commands are about: the chosen one, or the first action of the moment. */
  private get seq(): number | undefined {
    const { chosenSeq, moment } = this.session;
    return chosenSeq ?? moment?.action ?? undefined;
  }
  /** The chosen run; of a moment the one that failed, or its first one where it has no action. */
  private get runSeq(): number | undefined {
    const { chosenSeq, moment } = this.session;
    const runs = moment?.causes.filter(({ kind }) => kind === 'run') ?? [];
    const chosen =
      chosenSeq === undefined
        ? (runs.find(({ outcome }) => outcome === 'failed') ?? (moment?.action === null ? runs[0] : undefined))
        : runs.find(({ seq }) => seq === chosenSeq);
    return chosen?.seq ?? undefined;
  }
  /** Why the step cannot be sent again, if it cannot. */
  private get cannotSend(): string | undefined {
    const { session, detail } = this;
    if (!session.can('send')) return session.missing('send');
    return detail?.kind === 'fact' ? noAction(detail.seq) : undefined;
  }
  private get detail(): StepDetail | undefined {
    const { seq } = this;
    return seq === undefined ? undefined : this.session.opened.get(seq);
  }
  private get isExcluded(): boolean {
    const { seq, session } = this;
    if (session.whatIf && session.whatIf.seq === seq) return session.whatIf.excluded;
    return (
      this.detail?.excluded ??
      session.moment?.causes.some((cause) => cause.seq === seq && cause.excluded === true) ??
      false
    );
  }

  /** After the end of a link, no end carries commands out. */
  override render(): TemplateResult | typeof nothing {
    return this.session.ended === undefined ? this.all() : nothing;
  }

  private all(): TemplateResult {
    const { session, seq, isExcluded } = this;
    const cannotExclude = session.can('exclude')
      ? seq === undefined
        ? 'No action belongs to this moment.'
        : undefined
      : session.missing('exclude');
    const runSeq = this.runSeq;
    const { cannotSend } = this;
    return html`
      <div
        class="commands"
        role="toolbar"
        aria-label="Commands"
        @keydown=${(event: KeyboardEvent) => this.escape(event)}
      >
        ${this.ways()}
        ${this.button(isExcluded ? 'Take in' : 'Leave out', cannotExclude, isExcluded ? 'Compute what follows with this step again' : 'Compute what follows without this step', () => run(session.exclude(seq!, !isExcluded, true)))}
        ${
          runSeq === undefined
            ? this.button(
                seq === undefined ? 'Send…' : 'Send again…',
                cannotSend,
                seq === undefined ? 'Dispatch an action' : 'Dispatch an action like this one, which you can edit',
                () => run(this.openSend()),
              )
            : this.button(
                'Run again',
                session.can('run') ? undefined : session.missing('run'),
                'Run the task again, with the same arguments',
                () => run(session.runAgain(runSeq, 'The task')),
              )
        }
        <span class="menu-holder">
          <button
            aria-label="More"
            aria-haspopup="menu"
            aria-expanded=${this.menu ?? false}
            title="More"
            @click=${() => this.toggleMenu()}
          >
            ⋯
          </button>
          ${this.menu ? this.menuView(seq) : nothing}
        </span>
      </div>
      ${
        this.form === undefined
          ? nothing
          : html`<floe-command-form
              .session=${session}
              .form=${this.form}
              .seq=${seq}
              .code=${this.code}
              @close-form=${() => this.closeForm()}
            ></floe-command-form>`
      }
    `;
  }

  /** Back, forward, and to the newest. */
  private ways(): TemplateResult {
    const { session } = this;
    const { status, isFollowing, moment } = session;
    return html`
      <button
        aria-label="Back: the moment before"
        title="The moment before (Shift+←)"
        ?disabled=${!moment || !status || moment.number <= status.firstMoment}
        @click=${() => run(session.go(-1))}
      >
        ←
      </button>
      <button
        aria-label="Forward: the moment after"
        title="The moment after (Shift+→)"
        ?disabled=${!moment || !status || moment.number >= status.moments - 1}
        @click=${() => run(session.go(1))}
      >
        →
      </button>
      <button
        aria-label=${session.playing.isOn ? 'Stop playing' : 'Play'}
        title=${session.playing.isOn ? 'Stop here' : 'Play the history from here at its speed; the page follows. Acting stops it'}
        ?disabled=${!status || status.moments - status.firstMoment < 2}
        @click=${() => {
          if (session.playing.isOn) session.playing.stop();
          else session.playing.start();
          session.changed();
        }}
      >
        ${session.playing.isOn ? '■' : '▶'}
      </button>
      <button
        class="live ${isFollowing && status?.isLive !== false ? 'on' : ''}"
        aria-pressed=${isFollowing}
        title=${isFollowing ? 'The newest moment is shown' : 'Go to the newest moment'}
        @click=${() => run(session.follow())}
      >
        ${session.hello?.kind === 'file' ? 'Newest' : 'Live'}
      </button>
    `;
  }

  private button(label: string, cannot: string | undefined, title: string, act: () => void): TemplateResult {
    const { session } = this;
    // One that cannot be used says why, also to a keyboard: it stays in the tab order.
    return html`<button
      class=${cannot === undefined ? '' : 'cannot'}
      aria-disabled=${cannot === undefined ? nothing : 'true'}
      title=${cannot ?? title}
      @click=${() => (cannot === undefined ? act() : session.say({ kind: 'problem', text: cannot }))}
    >
      ${label}
    </button>`;
  }

  // ---- the menu ----

  private toggleMenu(): void {
    this.menu = !this.menu;
    if (!this.menu) return;
    run(this.updateComplete.then(() => this.querySelector<HTMLElement>('[role=menuitem]')?.focus()));
  }

  private menuItems(seq: number | undefined): readonly MenuItem[] {
    const { session } = this;
    const { status } = session;
    const target = seq ?? session.momentSeq ?? session.seq;
    const name = session.opened.get(seq ?? -1)?.name;
    const isMuted = name !== undefined && (status?.muted.includes(name) ?? false);
    return [
      ['Copy as code', target === undefined ? undefined : () => run(this.copyStep(target, 'code'))],
      ['Copy as JSON', target === undefined ? undefined : () => run(this.copyStep(target, 'json'))],
      ...(this.runSeq === undefined || !session.can('send')
        ? []
        : [['Send an action…', () => run(this.openSend())] as const]),
      ['Write a test…', target === undefined ? undefined : () => this.openForm('test')],
      [
        'Add a note…',
        !session.can('note') ? undefined : () => this.openForm('note'),
        session.can('note') ? undefined : session.missing('note'),
      ],
      [
        'Show the page here',
        target === undefined || !session.can('travel')
          ? undefined
          : () => run(this.showHere(session.momentSeq ?? target)),
        session.can('travel') ? undefined : session.missing('travel'),
      ],
      ...(session.can('exclude') && seq !== undefined
        ? [['Leave out this step alone', () => run(session.exclude(seq, true, false))] as const]
        : []),
      [
        isMuted ? 'Show this kind again' : 'Mute this kind',
        seq === undefined ? undefined : () => run(this.mute(seq, !isMuted)),
      ],
      ...(status?.muted ?? [])
        .filter((one) => one !== name)
        .map((one) => [`Show ${one} again`, () => run(session.try('mute', { name: one, muted: false }))] as const),
    ];
  }

  private menuView(seq: number | undefined): TemplateResult {
    const { session } = this;
    const items = this.menuItems(seq);
    return html`<div
      class="popover menu"
      role="menu"
      aria-label="More commands"
      @keydown=${(event: KeyboardEvent) => this.menuKey(event)}
    >
      ${items.map(
        ([label, act, why]) =>
          html`<button
            role="menuitem"
            tabindex="-1"
            aria-disabled=${act ? nothing : 'true'}
            title=${why ?? nothing}
            class=${act ? '' : 'cannot'}
            @click=${() => {
              this.menu = false;
              if (act) act();
              else session.say({ kind: 'problem', text: why ?? 'Choose a step first.' });
            }}
          >
            ${label}
          </button>`,
      )}
    </div>`;
  }

  private menuKey(event: KeyboardEvent): void {
    const items = [...this.querySelectorAll<HTMLElement>('[role=menuitem]')];
    const root = this.getRootNode() as ShadowRoot;
    const at = items.indexOf(root.activeElement as HTMLElement);
    const to =
      event.key === 'ArrowDown'
        ? at + 1
        : event.key === 'ArrowUp'
          ? at - 1
          : event.key === 'Home'
            ? 0
            : event.key === 'End'
              ? items.length - 1
              : undefined;
    if (to === undefined) return;
    event.preventDefault();
    items[(to + items.length) % items.length]?.focus();
  }

  private escape(event: KeyboardEvent): void {
    if (event.key !== 'Escape' || !this.menu) return;
    event.stopPropagation();
    this.menu = false;
    this.querySelector<HTMLElement>('[aria-haspopup=menu]')?.focus();
  }

  private async copyStep(seq: number, as: 'code' | 'json'): Promise<void> {
    const result = await this.session.try('code', { seq, as });
    if (result) await copy(result.text, this.session, as === 'code' ? 'The code was' : 'The action was');
  }

  private async showHere(seq: number): Promise<void> {
    const done = await this.session.try('show', { seq });
    if (done)
      this.session.say({
        kind: 'done',
        text: `The page shows the state after step ${seq}. Acting in the page now begins a branch there; Live brings it back.`,
      });
  }

  private async mute(seq: number, muted: boolean): Promise<void> {
    const detail = this.session.opened.get(seq) ?? (await this.session.try('step', { seq }));
    if (!detail) return;
    await this.session.try(
      'mute',
      { name: detail.name, muted },
      muted ? `${detail.name} is muted: its steps are grey, and begin no moment.` : `${detail.name} is shown again.`,
    );
  }

  // ---- forms ----

  private openForm(form: Form): void {
    run(
      loadMore().then(() => {
        this.form = form;
      }),
    );
  }

  private closeForm(): void {
    this.form = undefined;
    this.querySelector<HTMLElement>('button:not([disabled])')?.focus();
  }

  private async openSend(): Promise<void> {
    const { seq, session } = this;
    let code = { type: '', payload: '' };
    if (seq !== undefined) {
      const result = await session.try('code', { seq, as: 'json' });
      const action = result && (JSON.parse(result.text) as { type?: string; payload?: unknown });
      if (action?.type === undefined) {
        session.say({ kind: 'problem', text: noAction(seq) });
        return;
      }
      code = { type: action.type, payload: 'payload' in action ? JSON.stringify(action.payload, undefined, 2) : '' };
    }
    this.code = code;
    this.openForm('send');
  }
}

const noAction = (seq: number): string =>
  `Step ${seq} carries no action that could be sent again: it says what happened. Choose an action or a run.`;

export const defineCommands = (): void => define('floe-commands', Commands);
