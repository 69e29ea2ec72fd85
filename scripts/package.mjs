// `npm run package`: writes the package into the folder `package/`, as it is published (`npm publish ./package`): the builds
// with their types, the sources that the source maps lead to, and the docs. Pictures become their captions; links to what is
// not in the package are an error. `--to FOLDER` writes it into a new folder, `--tarball FOLDER` packs it there as well,
// `--built` takes the builds as they are.
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { build } from './build.mjs';
import { root, runNpm, tell } from './run.mjs';
import { setUp } from './setup.mjs';

const { values } = parseArgs({
  options: { to: { type: 'string' }, tarball: { type: 'string' }, built: { type: 'boolean' } },
});
const to = resolve(values.to ?? join(root, 'package'));
if (values.to && existsSync(to)) {
  tell(`'${to}' exists. Name a folder that does not: the package is written as a whole.`);
  process.exit(2);
}

if (!values.built) {
  setUp();
  // What an earlier build left is not published.
  rmSync(join(root, 'dist'), { recursive: true, force: true });
  if (!build()) process.exit(1);
}
rmSync(to, { recursive: true, force: true });
mkdirSync(to, { recursive: true });
const filesIn = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? filesIn(join(folder, entry.name)) : [join(folder, entry.name)],
  );
const copy = (path, fits) => {
  for (const file of filesIn(join(root, path)).filter(fits)) {
    const target = join(to, relative(root, file));
    mkdirSync(dirname(target), { recursive: true });
    cpSync(file, target);
  }
};
// The command line has no types to import.
copy('dist', (file) => !file.endsWith('.tsbuildinfo') && !/[/\\]cli[/\\].*\.d\.ts(\.map)?$/.test(file));
copy('src', (file) => /\.tsx?$/.test(file));
copy('docs/schemas', () => true);
// What `floe new` writes.
copy('templates', () => true);
cpSync(join(root, 'LICENSE'), join(to, 'LICENSE'));

const pages = [
  ...['README.md', 'CHANGELOG.md'],
  ...filesIn(join(root, 'docs'))
    .map((file) => relative(root, file))
    .filter((file) => file.endsWith('.md')),
];
for (const page of pages) {
  mkdirSync(dirname(join(to, page)), { recursive: true });
  writeFileSync(join(to, page), withoutPictures(readFileSync(join(root, page), 'utf8')));
}
const lost = pages.flatMap((page) =>
  // What stands in a block of code is no link.
  Array.from(
    readFileSync(join(to, page), 'utf8')
      .replace(/^```[^]*?^```$/gm, '')
      .matchAll(/\]\((?!https?:|#)([^)#\s]+)/g),
    ([, path]) => path,
  )
    .filter((path) => !existsSync(join(to, dirname(page), path)))
    .map((path) => `${page}: '${path}' is not in the package.`),
);

// The rest of the manifest is for those who work on the repository.
const manifest = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
for (const member of ['private', 'workspaces', 'scripts', 'devDependencies', 'overrides', 'allowScripts'])
  delete manifest[member];
writeFileSync(join(to, 'package.json'), `${JSON.stringify(manifest, undefined, 2)}\n`);
for (const line of lost) tell(line);
if (lost.length > 0) process.exit(1);
if (values.tarball && runNpm(['pack', '--silent', '--pack-destination', values.tarball], { cwd: to }) !== 0)
  process.exit(1);

/** A picture with a caption beside it goes; one that stands alone becomes its description. */
function withoutPictures(text) {
  // What holds in a clone only is not in the package either.
  const [shown] = text
    .replace(/^## Examples\n[^]*?(?=^## )/m, '')
    .replace(/^In a clone of this repository[^]*?(?=^\*\*\[Ideas)/m, '')
    .replace(/ · \*\*the site\*\* \([^)]*\)/, '')
    .replace('Once Floe is published,\n', '')
    .split('## More pictures');
  // Tests, and what is for those who work on the repository, are not in the package.
  const unlinked = shown
    .replace(/\[(`(?:tests|simulator)\/[^`]+`)\]\([^)]*\)/g, '$1')
    .replace(/,?\s*\[[^\]]*\]\([^)]*CONTRIBUTING\.md[^)]*\)/g, '');
  // A caption without its picture says nothing.
  return unlinked.replace(/^!\[[^\]]*\]\([^)]*\)[^\n]*\n\n?/gm, '');
}
