// The look of a moment.
import { css } from './libraries.js';

export const momentStyles = css`
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
  table.changes td.difference {
    color: var(--ink);
    overflow-wrap: anywhere;
  }
  table.changes td .value {
    display: inline-block;
    max-height: 4.2em;
    overflow: hidden;
    vertical-align: top;
  }
  table.changes td.old {
    white-space: nowrap;
  }
  table.changes thead th {
    font-size: 11px;
    color: var(--soft);
  }
  table.changes th button {
    max-width: min(230px, 34vw);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    display: block;
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
    top: 34px;
    max-height: 176px;
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
`;
