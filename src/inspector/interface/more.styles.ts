// The look of the parts that are loaded on demand.
import { css } from './libraries.js';

export const moreStyles = css`
  .task-run {
    display: flex;
    gap: 8px;
    align-items: start;
    padding: 2px 0;
    border-bottom: 1px solid var(--line);
  }
  .task-run.chosen {
    background: var(--picked);
  }
  .task-run .mark {
    color: var(--task);
  }
  .task-run.failed .mark {
    color: var(--bad);
  }
  .task-run .label {
    font-weight: 600;
  }
  .task-run .because {
    flex: 1 1 100%;
    color: var(--soft);
  }
  .task-run .costs {
    color: var(--soft);
  }
  .task-run > button:last-child {
    flex: none;
    margin-top: 3px;
  }
  .misfits {
    flex: 1 1 100%;
  }
  .branches li {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    padding: 3px 0;
  }
  .keys {
    top: 8px;
    right: 80px;
    bottom: 8px;
    max-width: 90%;
    overflow: auto;
    padding: 8px 14px;
  }
  .page > .keys {
    bottom: auto;
  }
  .keys h2 button {
    float: right;
    border: 0;
    background: none;
  }
  .pins {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    padding: 2px 14px !important;
    border-bottom: 1px solid var(--line);
    max-height: 72px;
    overflow: auto;
  }
  .pins li {
    display: flex;
    gap: 6px;
    align-items: baseline;
    max-width: 100%;
  }
  .pins .value {
    max-width: 220px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .pins .unpin {
    border: 0;
    background: none;
    padding: 0 3px;
    color: var(--soft);
  }
  table.list {
    border-collapse: collapse;
    width: 100%;
  }
  table.list th,
  table.list td {
    text-align: start;
    font-weight: 400;
    padding: 3px 12px 3px 0;
    border-bottom: 1px solid var(--line);
    vertical-align: top;
  }
  table.list thead th {
    font-size: 11px;
    color: var(--soft);
    position: sticky;
    top: 0;
    background: var(--paper);
  }
  table.list thead :is(th, button) {
    white-space: nowrap;
    overflow-wrap: normal;
  }
  table.list.figures thead th:not(:first-child) {
    text-align: end;
  }
  table.list td.figure {
    text-align: end;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  table.list tbody th {
    overflow-wrap: anywhere;
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
`;
