// `npm run tutorial -- 3 harbour`: writes the finished code of a lesson into a new folder; without a number it lists the lessons.
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { finished, lessons } from './lessons.mjs';
import { root, tell } from './run.mjs';

const [given, to] = process.argv.slice(2);
const number = Number(given);
if (given === undefined) {
  for (const { title } of lessons) process.stdout.write(`${title}\n`);
  process.exit(0);
}
if (!lessons[number - 1] || to === undefined) {
  tell(`npm run tutorial -- NUMBER FOLDER takes a lesson from 1 to ${lessons.length}, and a new folder.`);
  process.exit(2);
}
const folder = resolve(to);
if (existsSync(folder)) {
  tell(`'${to}' is there already. Nothing was written; give the name of a new folder.`);
  process.exit(2);
}
// The versions that this repository works with.
const { devDependencies: own } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
const { devDependencies: plugins } = JSON.parse(
  readFileSync(join(root, 'examples', 'harbour', 'package.json'), 'utf8'),
);
const versionsOf = (...names) => Object.fromEntries(names.map((name) => [name, own[name] ?? plugins[name]]));
const manifest = {
  name: 'harbour',
  private: true,
  type: 'module',
  scripts: { dev: 'vite', test: 'node --experimental-vm-modules node_modules/jest/bin/jest.js' },
  dependencies: { floe: `file:${relative(folder, root)}`, ...versionsOf('react', 'react-dom') },
  devDependencies: versionsOf(
    ...['vite', '@vitejs/plugin-react', 'typescript', '@types/react', '@types/react-dom'],
    ...['jest', '@jest/globals', '@swc/core', '@swc/jest'],
  ),
};
for (const [path, code] of [['package.json', `${JSON.stringify(manifest, undefined, 2)}\n`], ...finished(number)]) {
  mkdirSync(dirname(join(folder, path)), { recursive: true });
  writeFileSync(join(folder, path), code);
  process.stdout.write(`${join(to, path)}\n`);
}
tell(`\nLesson ${lessons[number - 1].title}, finished. What comes next:\n  cd ${to}\n  npm install\n  npm run dev`);
