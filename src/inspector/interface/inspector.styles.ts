// The frame of the inspector, and a whole page of it.
import { css } from './libraries.js';

export const inspectorStyles = css`
  :host {
    display: block;
    height: 100%;
  }
  *,
  *::before {
    box-sizing: border-box;
  }
  .whole {
    position: relative;
    height: 100%;
    background: var(--paper);
    color: var(--ink);
  }
  .whole.bottom:not(.folded) {
    display: grid;
    grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr) 72px;
    border-top: 2px solid var(--ink);
  }
  .whole.left:not(.folded),
  .whole.right:not(.folded) {
    display: grid;
    grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr) 68px;
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
  .resizer {
    position: absolute;
    z-index: 10;
    touch-action: none;
  }
  .bottom > .resizer {
    inset: -2px 0 auto 0;
    height: 7px;
    cursor: ns-resize;
  }
  .right > .resizer {
    inset: 0 auto 0 -2px;
    width: 7px;
    cursor: ew-resize;
  }
  .left > .resizer {
    inset: 0 -2px 0 auto;
    width: 7px;
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
    min-height: 40px;
    padding: 3px 14px;
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
    grid-row: 1 / 5;
    border-left: 1px solid var(--line);
    background: var(--ground);
    display: flex;
    flex-direction: column;
    gap: 1px;
    padding: 4px;
    min-height: 0;
    overflow: auto;
  }
  .side > button {
    border: 0;
    background: none;
    color: var(--soft);
    padding: 2px 6px;
    font-size: 12px;
    line-height: 20px;
    text-align: start;
  }
  .side > button.on {
    background: var(--ink);
    color: var(--paper);
  }
  .side-ends {
    margin-top: auto;
    display: flex;
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
    grid-row: 3;
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
    grid-row: 4;
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
  .state-of.bad {
    color: var(--bad);
    font-weight: 600;
  }
  .state-of .past {
    background: var(--picked);
    color: var(--ink);
    border-radius: 3px;
    padding: 1px 6px;
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
  .whole.page {
    height: 100%;
    display: grid;
    grid-template: auto auto auto minmax(0, 1fr) / minmax(0, 1fr);
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
  .page > .line {
    grid-row: 3;
  }
  .halves {
    grid-row: 4;
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
    gap: 2px;
    padding: 10px 16px 6px;
    flex-wrap: wrap;
  }
  .tabs button {
    padding: 3px 8px;
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

  .no-session {
    max-width: 44rem;
    margin: 12vh auto;
    padding: 0 1.5rem;
  }
  .no-session p {
    margin: 1rem 0 0;
  }
  .no-session pre {
    overflow-x: auto;
    padding: 0.75rem;
    border: 1px solid var(--line);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
`;
