// What the pages about the project name is there: files, and members of classes and interfaces.
import { describe, expect, test } from '@jest/globals';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import ts from 'typescript';

const walk = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? walk(join(folder, entry.name)) : [join(folder, entry.name)],
  );
const sources = ['src', 'tests', 'scripts', 'bench', 'simulator'].flatMap(walk);
const names = new Set(sources.map((file) => basename(file)));

/** The members of each class and interface of the sources; the same name may stand for several. */
const members = new Map<string, Set<string>>();
for (const file of sources.filter((name) => name.startsWith('src') && name.endsWith('.ts'))) {
  const visit = (node: ts.Node): void => {
    if ((ts.isClassDeclaration(node) || ts.isInterfaceDeclaration(node)) && node.name) {
      const known = members.get(node.name.text) ?? new Set<string>();
      members.set(node.name.text, known);
      for (const { name } of node.members) if (name) known.add(name.getText());
    }
    ts.forEachChild(node, visit);
  };
  visit(ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true));
}

/** A file by its path from the root, from `src/` or from `src/core/`, or, without folders, by its name. */
const isThere = (file: string): boolean =>
  ['', 'src', 'src/core'].some((folder) => existsSync(join(folder, file))) || (!file.includes('/') && names.has(file));

describe.each(['docs/architecture.md', 'docs/quality.md', 'docs/performance.md', 'CONTRIBUTING.md'])('%s', (page) => {
  const named = Array.from(readFileSync(page, 'utf8').matchAll(/`([^`\n]+)`/g), (match) => match[1]);

  test('the files that it names are there', () => {
    const files = named.filter((text) => /^[\w./-]+\.(?:ts|tsx|mjs|json|jsonl|md)$/.test(text));
    expect(files.length).toBeGreaterThan(0);
    expect(files.filter((file) => !isThere(file))).toEqual([]);
  });

  test('the members that it names are there', () => {
    const places = named.flatMap((text) =>
      Array.from(text.matchAll(/^([A-Z]\w+)\.(\w+)$/g), ([, of, name]) => [of, name]),
    );
    expect(places.filter(([of, name]) => !(of in globalThis) && members.get(of)?.has(name) !== true)).toEqual([]);
  });
});

test('a page names the file before each program that belongs into one', () => {
  const pages = ['docs/tutorial', 'docs/guides'].flatMap((folder) =>
    readdirSync(folder).map((name) => join(folder, name)),
  );
  const nameless = pages.flatMap((page) =>
    Array.from(
      readFileSync(page, 'utf8').matchAll(/([^\n]*(?:\n[^\n]+)*)\n\n```\w+ (?:file|edit|append)=(\S+)\n/g),
      ([, before, path]) =>
        before.includes(`\`${path}\``) || before.includes(`\`${path.replace(/^\w+\//, '')}\``)
          ? ''
          : `${page}: ${path}`,
    ).filter(Boolean),
  );
  expect(nameless).toEqual([]);
});
