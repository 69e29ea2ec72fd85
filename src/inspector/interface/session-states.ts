// What is unusual about a session, in words and chips: what came since, what failed, that nothing is recorded, that it is foreign.
import { html, nothing, type TemplateResult } from './libraries.js';
import { applicationText, plural, run } from './part.js';
import type { Session } from './session.js';

/** An opened session of another application than the one that runs. */
function foreignText({ status, hello }: Session, first: Session): string | undefined {
  const own = first.status?.application?.name;
  const { application } = status ?? {};
  if (hello?.kind !== 'file' || !application || own === undefined || application.name === own) return undefined;
  return `A session of another application: ${applicationText(application)}.`;
}

/** That nothing is listed now, and why. */
export function stopped({ status }: Session): TemplateResult | typeof nothing {
  if (status?.isClosed) return html`<span class="chip bad" title="The runtime was closed">closed</span>`;
  if (!status?.isPaused) return nothing;
  return html`<span class="chip" title="The trace is paused: actions are counted, not listed">paused</span>`;
}

/** What came since the moment that is shown, and that it leads to. */
export function newer(session: Session): TemplateResult | typeof nothing {
  const { moment, isFollowing } = session;
  if (!moment || !isFollowing || moment.newer.moments === 0) return nothing;
  const { moments, failed, failedSeq } = moment.newer;
  return html`<button class="newer" @click=${() => run(session.lookAtNewer())}>
      ${moments.toLocaleString('en')} newer${moment.newer.byUser ? '' : ' from the application'}</button
    >${failedSeq === null ? nothing : html`<button class="newer bad" @click=${() => run(session.lookAtNewer(failedSeq))}>${failed.toLocaleString('en')} failed</button>`}`;
}

/** The steps that failed; a click lists them all. */
export function problems(session: Session): TemplateResult | typeof nothing {
  const { status } = session;
  if (!status || status.problems === 0) return nothing;
  return html`<button
    class="bad problems"
    @click=${() => {
      session.lookFor({ outcome: 'problem' });
    }}
  >
    ✕ ${plural(status.problems, 'problem')}
  </button>`;
}

/** What is unusual about the session, in words. */
export function states(
  session: Session,
  { first, tabs }: { readonly first: Session; readonly tabs: TemplateResult | undefined },
): TemplateResult | typeof nothing {
  const { status, hello, ended } = session;
  if (ended !== undefined) return html`<p class="state-of bad">${ended}</p>`;
  if (!status || !hello) return html`<p class="state-of">Waiting for the other end of the link …</p>`;
  const parts: TemplateResult[] = [];
  if (tabs) parts.push(tabs);
  const foreign = foreignText(session, first);
  if (foreign !== undefined) parts.push(html`<span class="past">${foreign}</span>`);
  if (status.isClosed) parts.push(html`<span class="bad">The runtime was closed: nothing is recorded any more.</span>`);
  if (status.reading !== null)
    parts.push(html`<span role="status">Reading, ${Math.round(status.reading * 100)} % …</span>`);
  if (status.problem)
    parts.push(
      html`<span class="bad" role="alert"><code>${status.problem.code}</code> ${status.problem.message}</span>`,
    );
  if (status.steps === 0 && !status.problem && status.reading === null)
    parts.push(
      html`<span
        >No step is recorded yet. Click in the page, or open a session: what you do is shown here as it happens.</span
      >`,
    );
  if (!status.isLive)
    parts.push(
      html`<span class="past"
        >The page shows step ${status.cursor}, an earlier one. Acting in the page begins a branch there.</span
      >`,
    );
  else if (!session.isFollowing && hello.kind === 'live')
    parts.push(html`<span class="past">Following stopped: new moments are not shown until you press Live.</span>`);
  return parts.length === 0
    ? nothing
    : html`<div class="state-of">${parts.map((part) => html`<div>${part}</div>`)}</div>`;
}

/** A button that asks for a file. */
export const fileButton = (label: string, open: (file: File) => void): TemplateResult =>
  html`<label class="file button"
    >${label}<input
      type="file"
      accept=".jsonl,.json,.txt"
      @change=${(event: Event) => {
        const [file] = (event.target as HTMLInputElement).files ?? [];
        if (file) open(file);
      }}
  /></label>`;

/** The page while there is nothing to show. */
export function noSession(problem: string | undefined, open: (file: File) => void): TemplateResult {
  return html`<div class="no-session">
    <h1>No session yet</h1>
    <p>Drop a session here, or ${fileButton('open one…', open)}</p>
    <p>An application is shown here as soon as it links itself:</p>
    <pre>
import { linkInspector } from 'floe/inspector/link';

linkInspector(runtime, {
  url: '${location.href}',
});</pre>
    ${problem === undefined ? nothing : html`<p class="bad" role="alert">${problem}</p>`}
  </div>`;
}
