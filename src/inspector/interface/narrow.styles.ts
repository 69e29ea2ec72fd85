// The look in a narrow window.
import { css } from './libraries.js';

export const narrowStyles = css`
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
    .bottom > .body,
    .bottom > .body.with-panel {
      grid-template: auto auto / minmax(0, 1fr);
      overflow: auto;
    }
    .bottom > .body > .column {
      overflow: visible;
    }
    .bottom > .body > .column.panel {
      min-height: 240px;
    }
    .bottom > .body > .column.panel.state {
      height: 260px;
    }
    .bottom > .body > .column + .column {
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
