// The look of the line of time.
import { css } from './libraries.js';

export const timeLineStyles = css`
  .strip .lanes {
    padding-top: 4px;
  }
  .strip.flat {
    height: 24px;
    padding-top: 0;
    overflow: hidden;
  }
  .flat .time-row {
    grid-template-columns: 44px minmax(0, 1fr) 64px;
  }
  .flat .zoom {
    flex-direction: row;
    padding-top: 2px;
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
`;
