// The look of the picture of a model. Shapes say what a part is: a store has corners, a selector is round, a task is slanted.
import { css } from './libraries.js';

export const modelStyles = css`
  floe-model {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
  }
  .model-scroll {
    flex: 1;
    min-height: 140px;
    overflow: auto;
    border: 1px solid var(--line);
    background: var(--ground);
  }
  .model-picture {
    position: relative;
    transform-origin: 0 0;
  }
  .model-picture svg {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
  .model-arrow {
    fill: none;
    stroke: var(--quiet-mark);
    stroke-width: 1;
  }
  .model-arrow.reads {
    stroke-dasharray: 4 3;
  }
  .model-arrow.lit,
  .model-arrow.chosen {
    stroke: var(--ink);
    stroke-width: 2;
  }
  #head {
    fill: var(--quiet-mark);
  }
  .model-part {
    position: absolute;
    box-sizing: border-box;
    border: 1px solid var(--soft);
    background: var(--paper);
    overflow: hidden;
  }
  .model-part.store {
    border-top-width: 3px;
  }
  .model-part.selector {
    border-radius: 12px;
  }
  .model-part.task {
    border-left-width: 6px;
    border-radius: 0 12px 12px 0;
  }
  .model-part.action {
    border-style: dashed;
  }
  .model-part.lit {
    background: var(--picked);
    border-color: var(--ink);
    outline: 1px solid var(--ink);
  }
  .model-part.chosen {
    outline: 3px solid var(--task);
  }
  .model-part button {
    display: block;
    width: 100%;
    box-sizing: border-box;
    border: 0;
    border-radius: 0;
    background: none;
    padding: 0 8px;
    text-align: left;
    font-size: 12px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .model-part .part-name {
    height: 21px;
    line-height: 21px;
  }
  .model-part.store .part-name {
    font-weight: 700;
  }
  .model-part .part-row {
    display: block;
    height: 20px;
    line-height: 20px;
    padding: 0 8px;
    font-size: 12px;
    color: var(--soft);
  }
  .model-part .part-row.lit {
    color: var(--ink);
    font-weight: 700;
  }
  .model-part .part-row[aria-pressed='true'],
  .model-part .part-name[aria-pressed='true'] {
    text-decoration: underline;
  }
  .part-detail {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
    padding: 4px 0 6px;
  }
  .bottom .legend {
    display: none;
  }
  .model-zoom {
    margin-left: auto;
    white-space: nowrap;
  }
`;
