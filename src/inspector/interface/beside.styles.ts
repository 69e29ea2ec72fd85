// The look of what stands beside a moment: messages, pinned values, the list of keys, a value that is set.
import { css } from './libraries.js';

export const besideStyles = css`
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
  .under {
    grid-column: 1;
    min-width: 0;
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
  table.list thead th {
    white-space: nowrap;
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
  .setting {
    display: flex;
    gap: 8px;
    align-items: end;
    padding-bottom: 6px;
  }
  .setting label {
    flex: 1;
    display: flex;
    flex-direction: column;
    gap: 2px;
    color: var(--soft);
  }
  .notice {
    display: flex;
    gap: 10px;
    align-items: start;
    background: var(--ink);
    color: var(--paper);
    padding: 4px 14px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    max-height: 120px;
    overflow: auto;
  }
  .notice span {
    flex: 1;
  }
  .notice.problem {
    background: var(--paper);
    color: var(--bad);
    border-bottom: 1px solid var(--bad);
  }
  .notice button {
    background: none;
    border: 0;
    color: inherit;
    padding: 0 2px;
  }
  .bottom.with-notice form.form {
    top: 66px;
    max-height: 146px;
  }
`;
