// `npm run bench`: prints each ratio, and writes docs/benchmarks.md.
import { writeFileSync } from 'node:fs';
import { rows } from './model.mjs';

const lines = [];
for (const { work, against, most, run } of rows) {
  process.stderr.write(`measuring: ${work} ...\n`);
  const { floe, hand } = run();
  const ratio = floe / hand;
  console.log(
    `${ratio.toFixed(2)} times  ${work}, against ${against} (${floe.toFixed(0)} and ${hand.toFixed(0)} ns; wanted: at most ${most})`,
  );
  lines.push(
    `| ${work} | ${against} | ${ratio.toFixed(2)} times | at most ${most} times | ${floe.toFixed(0)} ns | ${hand.toFixed(0)} ns |`,
  );
}

writeFileSync(
  new URL('../docs/benchmarks.md', import.meta.url),
  `# Benchmarks

Written by \`npm run bench\` with Node.js ${process.versions.node} on ${process.platform} ${process.arch}; production build, no trace. Each
ratio is of the medians of one run in which both sides took turns. The times alone say little: machines differ.

| work | against | ratio | wanted | Floe | by hand |
| --- | --- | --- | --- | --- | --- |
${lines.join('\n')}
`,
);
