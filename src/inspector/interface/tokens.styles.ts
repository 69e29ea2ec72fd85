// Colours and type, for all parts. Colour says outcome and cause, nothing else, and never alone: shapes and words say it too.
import { css } from './libraries.js';

export const tokens = css`
  :host {
    --ink: #16202a;
    --soft: #556471;
    --line: #d9e0e6;
    --paper: #ffffff;
    --ground: #f3f6f8;
    --quiet-mark: #94a2ae;
    --user: #a8500a;
    --task: #1d5f8a;
    --bad: #b3261e;
    --new: #e2f2e8;
    --old: #fae7e5;
    --picked: #fff4d6;
    --shadow: 0 6px 24px rgb(22 32 42 / 18%);
    color-scheme: light;
    font:
      13px/1.45 system-ui,
      'DejaVu Sans',
      sans-serif;
    color: var(--ink);
  }
  @media (prefers-color-scheme: dark) {
    :host {
      --ink: #e4eaef;
      --soft: #9fb0bd;
      --line: #33414c;
      --paper: #161d23;
      --ground: #1c252d;
      --quiet-mark: #6f8190;
      --user: #e59a4c;
      --task: #64aede;
      --bad: #ff8a80;
      --new: #1d3b2b;
      --old: #47262a;
      --picked: #3d3417;
      --shadow: 0 6px 24px rgb(0 0 0 / 55%);
      color-scheme: dark;
    }
  }
`;
