// The look of state, derived values and lists.
import { css } from './libraries.js';

export const stateStyles = css`
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
  .bottom .column.panel {
    padding: 5px 14px 4px;
  }
  .bottom .panel-bar {
    margin-bottom: 2px;
    gap: 2px 10px;
  }
  .bottom .panel-bar button {
    padding: 0 8px;
    line-height: 20px;
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
  .row.hit {
    background: var(--picked);
    box-shadow: inset 3px 0 var(--user);
  }
  .badge {
    font-size: 11px;
    border: 1px solid var(--line);
    border-radius: 9px;
    padding: 0 7px;
  }
  .time-empty {
    padding: 8px 0;
  }
`;
