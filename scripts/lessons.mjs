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
      deleted: Array.from(text.matchAll(/^Delete `([^`]+)`\.$/gm), ([, path]) => path),
      checks: Array.from(
        text.matchAll(/^- ((?:Click|Type|The page says|The inspector says) .+)$/gm),
        ([, line]) => line,
      ),
    };
  });

/** A module in which a declaration takes the place of the one with its name, or an import that of the one from its module. */
function edited(text, code) {
  const [, from] = /^import [^]*? from ('[^']+');/.exec(code) ?? [];
  const [, kind, name] = /^export (const|function) (\w+)/.exec(code) ?? [];
  const before =
    from !== undefined
      ? new RegExp(`^import [^;]*? from ${from};\\n`, 'm')
      : // A constant ends with the line that ends its statement, a function with its brace.
        new RegExp(`^export ${kind} ${name}\\b[^]*?${kind === 'const' ? ';' : '^\\}'}\\n`, 'm');
  if (!before.test(text)) throw new Error(`There is no '${from ?? name}' to be edited.`);
  return text.replace(before, () => code);
}

/** The files of a project when a lesson is done, by path. */
export function finished(number) {
  const files = new Map();
  for (const lesson of lessons.slice(0, number)) {
    for (const { path, code } of lesson.files) files.set(path, code);
    for (const path of lesson.deleted) files.delete(path);
    for (const { path, code } of lesson.edits) files.set(path, edited(files.get(path), code));
    for (const { path, code } of lesson.appended) files.set(path, `${files.get(path)}\n${code}`);
  }
  return files;
}
