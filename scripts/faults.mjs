// `npm run test:faults`: puts faults into the core on purpose, one at a time, in a copy of the repository, and sees that
// the suite that should catch each does. Writes the list into docs/quality.md, between its marks.
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root, tell } from './run.mjs';

const drafts = 'tests/core/draft.property.test.ts';
const selectors = 'tests/core/selectors.property.test.ts';

/** The suite that must catch it, the file, what stands there, what is put in its place, and what that means. */
const faults = [
  [
    drafts,
    'draft.ts',
    'if (value === kid.base) return false;',
    'return false;',
    'an edited part is not put back into its parent',
  ],
  [
    drafts,
    'draft.ts',
    'if (kid) this.dropKid(key);',
    '',
    'a replaced part is overwritten by the draft handed out for the old one',
  ],
  [drafts, 'draft.ts', 'this.moved = true;', '', 'items that moved are taken to be in their old places'],
  [
    drafts,
    'draft.ts',
    'return sameData(base, copy) ? this.base : items;',
    'return items;',
    'items moved there and back count as a change',
  ],
  [
    drafts,
    'draft.ts',
    'const unchanged = had && sameData(base[key], final);',
    'const unchanged = false;',
    'equal data put in the place of data counts as a change',
  ],
  [drafts, 'draft.ts', 'return node.fold();', 'return node.base;', 'a draft that was put elsewhere loses its edits'],
  [
    drafts,
    'draft.ts',
    'return (this.copy ??= shallowCopy(this.base));',
    'return (this.copy ??= this.base);',
    'the state before is edited in place',
  ],
  [drafts, 'diff.ts', 'out.undo.reverse();', '', 'the inverse is applied in the wrong order'],
  [
    drafts,
    'diff.ts',
    'if (!hasOwn(before, key)) this.add(`${path}/${escapeKey(key)}`, after[key]);',
    'if (!hasOwn(before, key)) this.add(`${path}/${key}`, after[key]);',
    'a key with a slash is not escaped in its pointer',
  ],
  [
    drafts,
    'diff.ts',
    'if (this.common === common && this.changes.length > operations + 1) {',
    'if (this.changes.length > operations) {',
    'a changed part is replaced as a whole',
  ],
  [selectors, 'tracking.ts', 'part.noteKind();', '', 'nobody is told that an object became something else'],
  [
    selectors,
    'tracking.ts',
    'if (this.keys && !sameKeys(before, after)) this.keys.mark();',
    '',
    'nobody is told of a new key',
  ],
  [
    selectors,
    'tracking.ts',
    'if (this.presence && had !== has) this.presence.mark();',
    '',
    'nobody is told that a key is there now',
  ],
  [
    selectors,
    'tracking.ts',
    "if (Array.isArray(after)) this.parts.get('length')?.within(before, after, touches);",
    '',
    'nobody is told that a list grew',
  ],
  [
    selectors,
    'tracking.ts',
    '    note(view.place);\n    return view.raw;',
    '    return view.raw;',
    'a part that was handed out does not count as read',
  ],
  [selectors, 'graph.ts', 'how = MAYBE;\n', 'return;\n', 'marks do not travel on to readers of readers'],
  [
    selectors,
    'graph.ts',
    'same = first.version === this.firstVersion;',
    'same = false;',
    'a selector runs again though nothing that it read changed',
  ],
  [
    selectors,
    'graph.ts',
    'if (rest.ports[at - 1] !== port) {',
    'if (rest.ports[at - 1] === undefined) {',
    'a run that takes another way keeps the old one',
  ],
  [
    selectors,
    'reading.ts',
    'if (!watcher.active || Object.is(watcher.last, value)) continue;',
    'if (!watcher.active) continue;',
    'watchers hear of results that are the same',
  ],
  [
    selectors,
    'reading.ts',
    'return equal !== undefined && equal(before, after);',
    'return false;',
    "equal: 'deep' is not heeded",
  ],
];

const copy = mkdtempSync(join(tmpdir(), 'floe-faults-'));
for (const name of ['src', 'tests', 'examples', 'scripts', 'package.json', 'jest.config.mjs']) {
  cpSync(join(root, name), join(copy, name), { recursive: true, filter: (path) => !path.includes('node_modules') });
}
symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'));
const fails = (suite) =>
  spawnSync(
    process.execPath,
    [
      '--experimental-vm-modules',
      '--no-warnings',
      join(root, 'node_modules/jest/bin/jest.js'),
      '--rootDir',
      copy,
      suite,
    ],
    { cwd: copy, encoding: 'utf8' },
  ).status !== 0;

const lines = [];
let missed = 0;
for (const suite of [drafts, selectors]) if (fails(suite)) throw new Error(`${suite} fails without any fault`);
for (const [suite, name, from, to, meaning] of faults) {
  const file = join(copy, 'src', 'core', name);
  const text = readFileSync(file, 'utf8');
  if (text.split(from).length !== 2)
    throw new Error(`the place of the fault "${meaning}" in ${name} was not found once`);
  writeFileSync(
    file,
    text.replace(from, () => to),
  );
  const caught = fails(suite);
  writeFileSync(file, text);
  if (!caught) missed++;
  tell(`${caught ? 'caught' : 'MISSED'}  ${name}: ${meaning}`);
  lines.push(`| ${suite.split('/').at(-1)} | \`core/${name}\` | ${meaning} | ${caught ? 'yes' : 'no'} |`);
}
rmSync(copy, { recursive: true });

const page = join(root, 'docs', 'quality.md');
const table = `| suite | put into | fault | caught |\n| --- | --- | --- | --- |\n${lines.join('\n')}\n`;
writeFileSync(
  page,
  readFileSync(page, 'utf8').replace(
    /(<!-- faults -->\n)[^]*(\n<!-- end of faults -->)/,
    (_all, begin, end) => `${begin}\n${table}${end}`,
  ),
);
console.log(`${faults.length - missed} of ${faults.length} faults were caught`);
process.exitCode = missed > 0 ? 1 : 0;
