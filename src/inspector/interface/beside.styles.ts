// The look of what stands beside a moment: messages, pinned values, the list of keys, a value that is set.
import { css } from './libraries.js';

export const besideStyles = css`
  .under {
    grid-column: 1;
    min-width: 0;
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
