// What the lessons of docs/tutorial/ say, step by step: files to write, files to delete, and what is to be done and seen on the page.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './run.mjs';

const folder = join(root, 'docs', 'tutorial');

/** The lessons, in their order. */
export const lessons = readdirSync(folder)
  .filter((name) => /^\d+-/.test(name))
  .sort((a, b) => Number.parseInt(a) - Number.parseInt(b))
  .map((name) => {
    const text = readFileSync(join(folder, name), 'utf8');
    return {
      name: name.replace('.md', ''),
      title: /^# (.+)$/m.exec(text)[1],
      files: Array.from(text.matchAll(/^```\w+ file=(\S+)\n([^]*?)^```$/gm), ([, path, code]) => ({ path, code })),
      edits: Array.from(text.matchAll(/^```\w+ edit=(\S+)\n([^]*?)^```$/gm), ([, path, code]) => ({ path, code })),
      appended: Array.from(text.matchAll(/^```\w+ append=(\S+)\n([^]*?)^```$/gm), ([, path, code]) => ({ path, code })),
      removed: Array.from(text.matchAll(/^Remove `([^`]+)` from `([^`]+)`\.$/gm), ([, name, path]) => ({ name, path })),
      deleted: Array.from(text.matchAll(/^Delete `([^`]+)`\.$/gm), ([, path]) => path),
      commands: Array.from(text.matchAll(/^```sh run\n([^]*?)^```$/gm), ([, text]) => text.trim().split('\n')).flat(),
      checks: Array.from(
        text.matchAll(/^- ((?:Click|Type|Reload|Go back|The page says|The inspector says)\b.+)$/gm),
        ([, line]) => line,
      ),
    };
  });

/** Where a module imports, declares or handles what a piece of code begins with. */
function placeOf(code) {
  const [, names, from] = /^import ([^]*?) from ('[^']+');/.exec(code) ?? [];
  // From the same module, or the same from another one.
  if (from !== undefined) return new RegExp(`^import (?:[^;]*? from ${from}|${names} from [^;]*);\\n`, 'm');
  const [, kind, name] = /^export (const|function|interface|type) (\w+)/.exec(code) ?? [];
  // A constant or a type ends with the line that ends its statement; a function or an interface with its brace.
  if (name !== undefined)
    return new RegExp(
      `^export ${kind} ${name}\\b[^]*?${['const', 'type'].includes(kind) ? ';' : '^\\}'}\\n(?![ })])`,
      'm',
    );
  const [, store, action] = /^(\w+)\.when\((\w+)/.exec(code) ?? [];
  return new RegExp(`^${store}\\.when\\(${action}\\b[^]*?\\);\\n(?![ })])`, 'm');
}

/** A module in which a piece of code takes the place of the one with its name. */
function edited(text, code) {
  const place = placeOf(code);
  if (!place.test(text)) throw new Error(`There is nothing to be edited by:\n${code}`);
  return text.replace(place, () => code);
}

/** The files of a project when a lesson is done, by path. */
export function finished(number) {
  const files = new Map();
  for (const lesson of lessons.slice(0, number)) {
    for (const { path, code } of lesson.files) files.set(path, code);
    for (const path of lesson.deleted) files.delete(path);
    for (const { path, code } of lesson.edits) files.set(path, edited(files.get(path), code));
    for (const { path, name } of lesson.removed) {
      const kind = new RegExp(`^export (\\w+) ${name}\\b`, 'm').exec(files.get(path))[1];
      files.set(path, files.get(path).replace(placeOf(`export ${kind} ${name}`), ''));
    }
    for (const { path, code } of lesson.appended) files.set(path, `${files.get(path)}\n${code}`);
  }
  return files;
}
