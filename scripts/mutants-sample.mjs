// A plugin for Stryker: of the places that `scripts/mutants.mjs --sample` names, only the chosen mutants are tried, and not those
// inside of them. FLOE_SAMPLE is a file with the chosen places: [[first line, column, last line, column], ...] as Babel counts,
// of all files (the plugin is not told which file it looks at).
import { readFileSync } from 'node:fs';

const places = process.env.FLOE_SAMPLE ? JSON.parse(readFileSync(process.env.FLOE_SAMPLE, 'utf8')) : undefined;

const isBefore = (line, column, otherLine, otherColumn) =>
  line < otherLine || (line === otherLine && column <= otherColumn);

export const strykerPlugins = [
  {
    kind: 'Ignore',
    name: 'sample',
    value: {
      shouldIgnore({ node: { loc } }) {
        if (!places || !loc) return undefined;
        const { start, end } = loc;
        const holdsOne = places.some(
          ([line, column, lastLine, lastColumn]) =>
            isBefore(start.line, start.column, line, column) && isBefore(lastLine, lastColumn, end.line, end.column),
        );
        return holdsOne ? undefined : 'It is not in the sample.';
      },
    },
  },
];
