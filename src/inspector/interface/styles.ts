// The look of the inspector. Colour says outcome and cause, nothing else, and never alone: shapes and words say it too.
import { css } from './libraries.js';

export const styles = css`
  :host {
    --ink: #16202a;
    --soft: #556471;
    --line: #d9e0e6;
    --paper: #ffffff;
    --ground: #f3f6f8;
    --quiet-mark: #94a2ae;
    --user: #a8500a;
    --task: #1d5f8a;
    --bad: #b3261e;
    --new: #e2f2e8;
    --old: #fae7e5;
    --picked: #fff4d6;
    --shadow: 0 6px 24px rgb(22 32 42 / 18%);
    color-scheme: light;
    font:
      13px/1.45 system-ui,
      'DejaVu Sans',
      sans-serif;
    color: var(--ink);
  }
  @media (prefers-color-scheme: dark) {
    :host {
      --ink: #e4eaef;
      --soft: #9fb0bd;
      --line: #33414c;
      --paper: #161d23;
      --ground: #1c252d;
      --quiet-mark: #6f8190;
      --user: #e59a4c;
      --task: #64aede;
      --bad: #ff8a80;
      --new: #1d3b2b;
      --old: #47262a;
      --picked: #3d3417;
      --shadow: 0 6px 24px rgb(0 0 0 / 55%);
      color-scheme: dark;
    }
  }
  :host([data-dock='bottom']) {
    position: fixed;
    inset: auto 0 0 0;
    z-index: 2147483000;
  }
  :host([data-dock='right']) {
    position: fixed;
    inset: 0 0 0 auto;
    z-index: 2147483000;
  }
  :host([data-dock='left']) {
    position: fixed;
    inset: 0 auto 0 0;
    z-index: 2147483000;
  }
  :host([data-folded]) {
    inset: auto 0 0 0;
  }
  :host([data-dock='page']) {
    display: block;
    height: 100%;
  }
  *,
  *::before {
    box-sizing: border-box;
  }

  /* ---- what all parts have ---- */
  button,
  .button {
    font: inherit;
    color: inherit;
    background: var(--paper);
    border: 1px solid var(--line);
    border-radius: 5px;
    padding: 3px 10px;
    white-space: nowrap;
    cursor: pointer;
  }
  button:hover:not([disabled], .cannot),
  .button:hover {
    border-color: var(--soft);
  }
  button[disabled],
  button.cannot {
    color: var(--soft);
    background: var(--ground);
    cursor: default;
  }
  button.on,
  .tabs button.on {
    background: var(--ink);
    border-color: var(--ink);
    color: var(--paper);
  }
  :focus-visible,
  .button:focus-within {
    outline: 2px solid var(--task);
    outline-offset: 1px;
  }
  button.link,
  button.place,
  button.entry {
    border: 0;
    background: none;
    padding: 0;
    border-radius: 2px;
    text-align: start;
  }
  button.link {
    color: var(--task);
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  button.place {
    color: var(--soft);
    white-space: normal;
    overflow-wrap: anywhere;
  }
  button.place:hover {
    text-decoration: underline;
  }
  input,
  select,
  textarea {
    font: inherit;
    color: inherit;
    background: var(--paper);
    border: 1px solid var(--line);
    border-radius: 5px;
    padding: 3px 8px;
    min-width: 0;
  }
  textarea {
    font-family: 'DejaVu Sans Mono', ui-monospace, monospace;
    font-size: 12px;
    width: 100%;
    resize: vertical;
  }
  .file input {
    position: absolute;
    opacity: 0;
    width: 1px;
    height: 1px;
  }
  .file {
    position: relative;
  }
  h1 {
    font-size: 17px;
    line-height: 1.3;
    margin: 0 0 2px;
    text-wrap: pretty;
  }
  h2 {
    font-size: 11px;
    letter-spacing: 0.02em;
    color: var(--soft);
    font-weight: 600;
    margin: 14px 0 5px;
  }
  floe-changes,
  floe-causes {
    display: block;
  }
  floe-changes > h2:first-of-type,
  floe-causes > h2:first-of-type {
    margin-top: 0;
  }
  .moment floe-changes,
  .moment floe-causes {
    margin-top: 14px;
  }
  .column floe-causes + floe-changes {
    margin-top: 12px;
  }
  p {
    margin: 4px 0;
  }
  small {
    font-size: 11px;
    color: var(--soft);
  }
  .quiet {
    color: var(--soft);
  }
  .bad {
    color: var(--bad);
  }
  button.problems {
    border-color: var(--bad);
    font-weight: 600;
  }
  .for-readers {
    position: absolute;
    width: 1px;
    height: 1px;
    overflow: hidden;
    clip-path: inset(50%);
    white-space: nowrap;
  }
  ul.plain,
  ol.plain,
  ol.causes,
  ol.history {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  code,
  .code {
    font:
      12px/1.5 'DejaVu Sans Mono',
      ui-monospace,
      monospace;
  }
  pre.code {
    background: var(--ground);
    border: 1px solid var(--line);
    border-radius: 5px;
    padding: 8px 10px;
    margin: 4px 0;
    max-height: 260px;
    overflow: auto;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .value {
    padding: 0 4px;
    border-radius: 3px;
    overflow-wrap: break-word;
    box-decoration-break: clone;
  }
  .value.none,
  .value.null,
  .value.undefined,
  .value.redacted {
    color: var(--soft);
    font-style: italic;
  }
  .value.before {
    background: var(--old);
    color: var(--ink);
  }
  .value.after {
    background: var(--new);
    color: var(--ink);
  }
  .value.error {
    color: var(--bad);
  }
  .arrow {
    color: var(--soft);
  }
  .who {
    display: inline-block;
    flex: none;
    width: 10px;
    height: 10px;
    border-radius: 50%;
    background: var(--ink);
  }
  .who.user {
    background: var(--user);
  }
  .who.task {
    background: var(--task);
    border-radius: 2px;
  }
  .excluded {
    text-decoration: line-through;
    color: var(--soft);
  }
  .popover {
    position: absolute;
    z-index: 20;
    background: var(--paper);
    border: 1px solid var(--line);
    border-radius: 6px;
    box-shadow: var(--shadow);
    padding: 6px;
  }

  /* ---- the frame ---- */
  .whole {
    position: relative;
    background: var(--paper);
    color: var(--ink);
  }
  .whole.bottom:not(.folded) {
    display: grid;
    grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 44px;
    border-top: 2px solid var(--ink);
  }
  .whole.left:not(.folded),
  .whole.right:not(.folded) {
    display: grid;
    grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 40px;
    height: 100vh;
  }
  .whole.right {
    border-left: 2px solid var(--ink);
  }
  .whole.left {
    border-right: 2px solid var(--ink);
  }
  .whole.folded {
    border: 0;
    border-top: 2px solid var(--ink);
  }
  .grip {
    position: absolute;
    z-index: 10;
    touch-action: none;
  }
  .bottom > .grip {
    inset: -5px 0 auto 0;
    height: 8px;
    cursor: ns-resize;
  }
  .right > .grip {
    inset: 0 auto 0 -5px;
    width: 8px;
    cursor: ew-resize;
  }
  .left > .grip {
    inset: 0 -5px 0 auto;
    width: 8px;
    cursor: ew-resize;
  }
  .unfold {
    display: flex;
    align-items: center;
    gap: 12px;
    width: 100%;
    height: 32px;
    border: 0;
    border-radius: 0;
    padding: 0 14px;
    text-align: start;
  }
  .unfold .sentence {
    flex: 1;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .say {
    grid-column: 1;
    display: flex;
    align-items: center;
    gap: 12px;
    min-height: 44px;
    padding: 5px 14px;
    border-bottom: 1px solid var(--line);
  }
  .say .sentence {
    flex: 1;
    min-width: 0;
    margin: 0;
    font-size: 14px;
    line-height: 1.3;
    font-weight: 600;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    overflow: hidden;
  }
  time {
    color: var(--soft);
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  .side {
    grid-column: 2;
    grid-row: 1 / 4;
    border-left: 1px solid var(--line);
    background: var(--ground);
    display: flex;
    flex-direction: column;
    align-items: center;
    gap: 2px;
    padding: 6px 0;
    min-height: 0;
    overflow: hidden;
  }
  .side > button {
    writing-mode: vertical-rl;
    border: 0;
    background: none;
    color: var(--soft);
    padding: 8px 7px;
  }
  .side > button.on {
    background: var(--ink);
    color: var(--paper);
  }
  .side-ends {
    margin-top: auto;
    display: flex;
    flex-direction: column;
    gap: 2px;
  }
  .side-ends button {
    border: 0;
    background: none;
    padding: 2px 8px;
    color: var(--soft);
  }
  .body {
    grid-column: 1;
    display: grid;
    grid-template-columns: 1.25fr 1fr;
    min-height: 0;
  }
  .body.with-panel {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.35fr);
  }
  .column {
    padding: 9px 14px;
    overflow: auto;
    min-width: 0;
  }
  .column + .column {
    border-left: 1px solid var(--line);
  }
  .left .body,
  .right .body {
    grid-template: minmax(0, 1fr) minmax(0, 1fr) / minmax(0, 1fr);
  }
  .left .column + .column,
  .right .column + .column {
    border-left: 0;
    border-top: 1px solid var(--line);
  }
  .left .say,
  .right .say {
    flex-wrap: wrap;
  }
  .strip {
    grid-column: 1;
    display: block;
    border-top: 1px solid var(--line);
    background: var(--ground);
    padding: 2px 14px 0;
    min-width: 0;
  }
  .state-of {
    color: var(--soft);
    margin: 0 0 8px;
  }
  .state-of .past {
    background: var(--picked);
    color: var(--ink);
    border-radius: 3px;
    padding: 1px 6px;
  }
  .notice {
    position: absolute;
    z-index: 30;
    right: 56px;
    bottom: 8px;
    max-width: min(560px, 80%);
    display: flex;
    gap: 10px;
    align-items: start;
    background: var(--ink);
    color: var(--paper);
    border-radius: 6px;
    padding: 8px 12px;
    box-shadow: var(--shadow);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    max-height: 200px;
    overflow: auto;
  }
  .notice.problem {
    background: var(--paper);
    color: var(--bad);
    border: 1px solid var(--bad);
  }
  .notice button {
    background: none;
    border: 0;
    color: inherit;
    padding: 0 2px;
  }
  .drop {
    position: absolute;
    inset: 0;
    z-index: 40;
    display: grid;
    place-items: center;
    background: color-mix(in srgb, var(--paper) 88%, transparent);
    border: 2px dashed var(--task);
    font-size: 15px;
    font-weight: 600;
    pointer-events: none;
  }

  /* ---- a page ---- */
  .whole.page {
    height: 100%;
    display: grid;
    grid-template: auto auto minmax(0, 1fr) / minmax(0, 1fr);
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    padding: 9px 16px;
    border-bottom: 2px solid var(--ink);
  }
  .head input[type='search'] {
    flex: 1 1 200px;
    padding: 5px 10px;
  }
  .line {
    display: block;
    background: var(--ground);
    border-bottom: 1px solid var(--line);
    padding: 6px 16px 2px;
    min-width: 0;
  }
  .halves {
    display: grid;
    grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr);
    min-height: 0;
  }
  .halves > .moment {
    padding: 14px 16px;
    overflow: auto;
  }
  .halves > .moment h1 .who {
    margin-right: 9px;
  }
  .halves > .panel {
    border-left: 1px solid var(--line);
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .tabs {
    display: flex;
    gap: 4px;
    padding: 10px 16px 6px;
    flex-wrap: wrap;
  }
  .tabs button {
    border-color: transparent;
    color: var(--soft);
  }
  .panel-body {
    flex: 1;
    min-height: 0;
    overflow: auto;
    padding: 4px 16px 12px;
    display: flex;
    flex-direction: column;
  }
  .meta {
    color: var(--soft);
    margin: 0 0 10px;
  }
  .sessions {
    display: inline-flex;
    flex-wrap: wrap;
    gap: 4px;
  }

  /* ---- the moment ---- */
  table.changes {
    border-collapse: collapse;
  }
  table.changes th,
  table.changes td {
    padding: 2px 10px 2px 0;
    vertical-align: top;
    text-align: start;
    font-weight: 400;
  }
  table.changes td.arrow {
    width: 24px;
  }
  table.changes thead th {
    font-size: 11px;
    color: var(--soft);
  }
  table.changes th {
    min-width: 110px;
    max-width: 260px;
  }
  .cause {
    position: relative;
    padding: 1px 0 1px calc(20px + var(--depth, 0) * 18px);
  }
  .cause > .mark {
    position: absolute;
    left: calc(2px + var(--depth, 0) * 18px);
    width: 14px;
    text-align: center;
    font-size: 11px;
    line-height: 19px;
  }
  .cause.interaction > .mark {
    color: var(--user);
  }
  .cause.run > .mark {
    color: var(--task);
  }
  .cause.failed > .mark,
  .cause.refused > .mark {
    color: var(--bad);
    font-weight: 700;
  }
  .cause.quiet {
    color: var(--soft);
  }
  .cause button.words {
    border: 0;
    background: none;
    padding: 0 3px;
    margin-left: -3px;
    text-align: start;
    white-space: normal;
    overflow-wrap: anywhere;
  }
  .cause button.words:hover .label {
    text-decoration: underline;
  }
  .cause button[aria-current='step'] {
    background: var(--picked);
  }
  .cause.failed .label,
  .cause.refused .label {
    color: var(--bad);
  }
  .detail {
    margin: 3px 0 8px;
    padding: 6px 10px;
    border-left: 2px solid var(--line);
    text-decoration: none;
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 3px 12px;
    margin: 0;
  }
  dt {
    color: var(--soft);
  }
  dd {
    margin: 0;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  summary {
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .what-if:not(:empty) {
    background: var(--ground);
    border: 1px solid var(--line);
    border-radius: 6px;
    padding: 7px 10px;
    margin: 6px 0;
  }
  .commands {
    display: flex;
    gap: 7px;
    align-items: center;
    flex-wrap: wrap;
  }
  .moment .commands {
    margin: 4px 0 0;
  }
  floe-commands {
    position: relative;
    display: block;
  }
  .menu-holder {
    position: relative;
  }
  .menu {
    right: 0;
    top: 30px;
    min-width: 210px;
    display: flex;
    flex-direction: column;
  }
  .bottom .menu {
    max-height: 260px;
    overflow: auto;
  }
  .moment .menu {
    right: auto;
    left: 0;
  }
  .menu button {
    border: 0;
    text-align: start;
    padding: 5px 10px;
    border-radius: 4px;
  }
  .menu button:hover,
  .menu button:focus {
    background: var(--ground);
  }
  form.form {
    top: 32px;
    right: 0;
    width: min(440px, 92vw);
    padding: 10px 14px 12px;
    display: flex;
    flex-direction: column;
    gap: 7px;
    max-height: min(62vh, 460px);
    overflow: auto;
  }
  .bottom form.form {
    top: auto;
    bottom: calc(100% + 14px);
  }
  .moment form.form {
    right: auto;
    left: 0;
  }
  form.form h2 {
    margin: 0;
  }
  form.form label {
    display: flex;
    flex-direction: column;
    gap: 2px;
    color: var(--soft);
  }
  .form-ends {
    display: flex;
    gap: 8px;
  }

  /* ---- the line of time ---- */
  .strip .lanes {
    padding-top: 4px;
  }
  .strip .lane-name {
    height: 16px;
    line-height: 16px;
  }
  .time-row {
    display: grid;
    grid-template-columns: 112px minmax(0, 1fr) 20px;
    align-items: start;
  }
  .lanes {
    position: relative;
    padding-top: 9px;
    display: flex;
    flex-direction: column;
  }
  .lane-name {
    height: 20px;
    line-height: 20px;
    font-size: 11px;
    color: var(--soft);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    padding-right: 8px;
  }
  .more-lanes {
    font-size: 11px;
  }
  .lanes-chooser {
    top: 24px;
    left: 0;
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  .strip .lanes-chooser {
    top: auto;
    bottom: 0;
  }
  .chooser {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    padding: 4px 0 8px;
  }
  .time-area {
    min-width: 0;
    cursor: crosshair;
    touch-action: pan-y;
    border-radius: 3px;
  }
  .time-area svg {
    display: block;
    overflow: visible;
  }
  .zoom {
    display: flex;
    flex-direction: column;
    gap: 2px;
    padding-top: 5px;
  }
  .zoom button {
    padding: 0;
    width: 20px;
    height: 20px;
    line-height: 1;
    font-size: 12px;
  }
  .time-area text {
    font:
      10.5px system-ui,
      'DejaVu Sans',
      sans-serif;
    fill: var(--soft);
  }
  .time-area .lane {
    stroke: var(--line);
  }
  .frame {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 1.3;
  }
  .mark,
  .band rect {
    fill: var(--quiet-mark);
  }
  .time-area .mark.chosen:not(.hollow) {
    fill: var(--ink);
  }
  .mark.hollow {
    fill: var(--paper);
    stroke: var(--quiet-mark);
    stroke-width: 1.6;
  }
  .mark.hollow.chosen {
    stroke: var(--ink);
  }
  path.mark {
    stroke: var(--quiet-mark);
    stroke-width: 2.6;
  }
  .mark.user {
    fill: var(--user);
  }
  .mark.matches,
  .band.matches rect {
    stroke: var(--task);
    stroke-width: 2.4;
  }
  .band.coalesced rect {
    fill: var(--line);
  }
  .band.chosen:not(.coalesced) rect {
    fill: var(--ink);
  }
  .time-area .cross {
    stroke: var(--bad);
    stroke-width: 2.4;
    fill: none;
  }
  .bar rect {
    fill: var(--quiet-mark);
  }
  .bar.chosen rect {
    fill: var(--task);
  }
  .bar.cancelled rect {
    opacity: 0.6;
  }
  .bar .retry,
  .bar .cut {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .span {
    stroke: var(--quiet-mark);
    stroke-width: 5;
    stroke-dasharray: 3 3;
    fill: none;
  }
  .span.chosen {
    stroke: var(--ink);
  }
  .time-area .reverted {
    font-size: 15px;
    fill: var(--ink);
  }
  .thread {
    fill: none;
    stroke: var(--soft);
  }
  .thread.task {
    stroke: var(--task);
  }
  .thread.user {
    stroke: var(--user);
  }
  .cursor {
    stroke: var(--ink);
    stroke-width: 1;
    stroke-dasharray: 2 2;
  }
  .idle path {
    fill: none;
    stroke: var(--quiet-mark);
  }
  .time-area text.ends {
    text-anchor: end;
  }
  .time-area text.middle {
    text-anchor: middle;
  }
  .tick {
    stroke: var(--quiet-mark);
  }
  .time-area text.small {
    font-size: 10px;
  }
  .branch {
    cursor: pointer;
  }
  .branch path {
    fill: none;
    stroke: var(--quiet-mark);
  }
  .branch circle {
    fill: var(--quiet-mark);
  }

  /* ---- state, derived values, lists ---- */
  .panel-bar {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    margin-bottom: 6px;
  }
  .panel-bar input[type='search'] {
    flex: 1 1 160px;
  }
  .column.panel {
    display: flex;
    flex-direction: column;
  }
  .column.panel.state,
  .panel.state > .panel-body {
    overflow: hidden;
  }
  floe-state {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
  }
  .state-of-stores {
    display: flex;
    flex: 1;
    min-height: 80px;
  }
  floe-table {
    display: flex;
    flex: 1;
    min-width: 0;
  }
  .table-scroll {
    flex: 1;
    overflow: auto;
    position: relative;
    font:
      12px/24px 'DejaVu Sans Mono',
      ui-monospace,
      monospace;
  }
  .table-rows {
    position: relative;
    width: max-content;
    min-width: 100%;
  }
  .table-row {
    display: grid;
    grid-auto-flow: column;
    grid-auto-columns: 168px;
    width: max-content;
    min-width: 100%;
    height: 24px;
  }
  .table-row.table-head {
    position: sticky;
    top: 0;
    z-index: 1;
    background: var(--paper);
    border-bottom: 1px solid var(--line);
    color: var(--soft);
  }
  .table-rows > .table-row {
    position: absolute;
    inset: 0 auto auto 0;
  }
  .table-rows > .table-row:hover {
    background: var(--ground);
  }
  .table-row.inside > :first-child,
  .table-row.added > :first-child {
    box-shadow: inset 3px 0 var(--ink);
  }
  .table-row > * {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    padding: 0 6px;
  }
  .table-row button.place {
    color: inherit;
    white-space: nowrap;
  }
  .state-of-stores > floe-tree {
    flex: 1;
    min-width: 0;
    display: flex;
  }
  .tree-scroll {
    flex: 1;
    overflow: auto;
    min-height: 0;
    position: relative;
  }
  .tree-holder .tree-scroll {
    max-height: 220px;
  }
  .tree {
    position: relative;
    font:
      12px/22px 'DejaVu Sans Mono',
      ui-monospace,
      monospace;
  }
  .row {
    position: absolute;
    inset: 0 0 auto 0;
    height: 22px;
    padding-left: calc(var(--depth, 0) * 16px);
    display: flex;
    align-items: center;
    gap: 6px;
    white-space: nowrap;
    overflow: hidden;
    border-radius: 3px;
  }
  .row[aria-expanded] {
    cursor: pointer;
  }
  .row:hover {
    background: var(--ground);
  }
  .row .twisty {
    width: 12px;
    flex: none;
    color: var(--soft);
  }
  .row .key {
    flex: none;
    color: var(--soft);
    min-width: 96px;
  }
  .row.added .key,
  .row.replaced .key,
  .row.removed .key,
  .row.inside .key {
    color: var(--ink);
    font-weight: 700;
  }
  .row.inside .key::after,
  .row.replaced .key::after,
  .row.added .key::after {
    content: ' •';
  }
  .row .value {
    overflow: hidden;
    text-overflow: ellipsis;
    flex: 0 1 auto;
    min-width: 0;
    line-height: 18px;
  }
  .row .value.before {
    flex-shrink: 0;
    max-width: 40%;
  }
  .row .value.text:not(.before, .after)::before,
  .row .value.text:not(.before, .after)::after {
    content: '"';
    color: var(--soft);
  }
  .row-tools {
    margin-left: auto;
    display: inline-flex;
    gap: 8px;
    flex: none;
    font-family: system-ui, 'DejaVu Sans', sans-serif;
    padding-right: 4px;
  }
  .row .on-hover {
    opacity: 0;
  }
  .row:hover .on-hover,
  .row:focus-within .on-hover {
    opacity: 1;
  }
  .links {
    padding: 4px 0 8px;
  }
  button.entry {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 10px;
    align-items: baseline;
    width: 100%;
    padding: 4px 6px;
    white-space: normal;
  }
  button.entry:hover {
    background: var(--ground);
  }
  button.entry[aria-current='step'] {
    background: var(--picked);
  }
  .history .label,
  .history .because,
  .derived .costs {
    color: var(--soft);
  }
  .history .values {
    flex: 1 1 100%;
  }
  .history .because {
    flex: 1 1 100%;
  }
  .found .seq {
    min-width: 44px;
    text-align: right;
    color: var(--soft);
    font-variant-numeric: tabular-nums;
  }
  .found .when {
    color: var(--soft);
    font-variant-numeric: tabular-nums;
  }
  .derived .name {
    font-weight: 600;
  }
  .derived .preview {
    flex: 1 1 100%;
    color: var(--soft);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font:
      12px 'DejaVu Sans Mono',
      ui-monospace,
      monospace;
  }
  .derived li.changed > .entry {
    box-shadow: inset 3px 0 var(--ink);
  }
  .derived .inner {
    padding-left: 16px;
  }
  .badge {
    font-size: 11px;
    border: 1px solid var(--line);
    border-radius: 9px;
    padding: 0 7px;
  }
  .branches li {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    padding: 3px 0;
  }
  .time-empty {
    padding: 8px 0;
  }

  @media (max-width: 720px) {
    .halves {
      grid-template: auto minmax(240px, 1fr) / minmax(0, 1fr);
      overflow: auto;
    }
    .halves > .panel {
      border-left: 0;
      border-top: 1px solid var(--line);
    }
    .whole.page {
      height: auto;
      min-height: 100%;
    }
    .body,
    .body.with-panel {
      grid-template: auto auto / minmax(0, 1fr);
      overflow: auto;
    }
    .column {
      overflow: visible;
    }
    .column.panel.state {
      height: 260px;
    }
    .column + .column {
      border-left: 0;
      border-top: 1px solid var(--line);
    }
    .say {
      flex-wrap: wrap;
      gap: 6px 10px;
      padding: 5px 10px;
    }
    .say .sentence {
      flex: 1 1 70%;
    }
    .time-row {
      grid-template-columns: 70px minmax(0, 1fr) 20px;
    }
    table.changes th {
      max-width: 130px;
    }
  }
  @media (prefers-reduced-motion: no-preference) {
    .unfold {
      transition: background 0.15s;
    }
  }
`;
