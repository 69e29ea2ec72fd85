// What all parts have: buttons, rows, values.
import { css } from './libraries.js';

export const partStyles = css`
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
  .column floe-changes + floe-causes {
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
  button.newer {
    border-radius: 10px;
    padding: 1px 9px;
    white-space: nowrap;
    font-size: 12px;
    flex: none;
  }
  .chip {
    border: 1px solid currentcolor;
    border-radius: 10px;
    padding: 0 8px;
    font-size: 12px;
    flex: none;
  }
  /* The document of a frame has no doctype: there tables do not inherit by themselves. */
  table {
    font: inherit;
    color: inherit;
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
`;
