// What is large says why in a comment, and there is never more of it: whoever makes something smaller lowers the number here.
import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const walk = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? walk(join(folder, entry.name)) : [join(folder, entry.name)],
  );

/** How many there may be of what is larger than the limit. */
const RATCHETS = {
  'classes over 25 members': 8,
  'files over 350 lines': 7,
  'functions over 60 lines': 2,
  'parameter lists over 4': 5,
};
type Kind = keyof typeof RATCHETS;

const found: Record<Kind, string[]> = {
  'classes over 25 members': [],
  'files over 350 lines': [],
  'functions over 60 lines': [],
  'parameter lists over 4': [],
};

/** What a reason begins with. */
const REASON = /\b(?:larger|longer) than other|\b(?:five|ten) parameters\b/i;
const REASON_OF_FILE = /\bthan other\s+(?:\*\s+)?files\b/;
const unexplained: string[] = [];

for (const file of walk('src').filter((name) => /\.tsx?$/.test(name))) {
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true);
  const lineOf = (position: number): number => source.getLineAndCharacterOfPosition(position).line + 1;
  const note = (kind: Kind, node: ts.Node, size: number): void => {
    const what = `${file}:${lineOf(node.getStart())} (${size})`;
    found[kind].push(what);
    // Of a file anywhere, of a constructor before its class, of anything else before it.
    const owner = ts.isConstructorDeclaration(node) ? node.parent : node;
    const said = ts.isSourceFile(owner) ? owner.text : source.text.slice(owner.getFullStart(), owner.getStart(source));
    if (!(ts.isSourceFile(owner) ? REASON_OF_FILE : REASON).test(said)) unexplained.push(`${kind}: ${what}`);
  };
  const lines = lineOf(source.getEnd()) - 1;
  if (lines > 350) note('files over 350 lines', source, lines);
  const visit = (node: ts.Node): void => {
    if (ts.isClassLike(node) && membersOf(node) > 25) note('classes over 25 members', node, membersOf(node));
    if (ts.isFunctionLike(node) && 'body' in node && node.body) {
      const length = lineOf(node.getEnd()) - lineOf(node.getStart()) + 1;
      if (length > 60) note('functions over 60 lines', node, length);
      if (node.parameters.length > 4) note('parameter lists over 4', node, node.parameters.length);
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
}

/** Its members, and the parameters of its constructor that are members. */
function membersOf({ members }: ts.ClassLikeDeclaration): number {
  const constructors = members.filter(ts.isConstructorDeclaration);
  const parameters = constructors.flatMap((one) => one.parameters.filter(({ modifiers = [] }) => modifiers.length > 0));
  return members.length - constructors.length + parameters.length;
}

describe('what is large', () => {
  test('says why', () => {
    expect(unexplained).toEqual([]);
  });

  test.each(Object.keys(RATCHETS) as Kind[])('%s', (kind) => {
    const all = found[kind];
    if (all.length !== RATCHETS[kind])
      throw new Error(`There are ${all.length} ${kind}, not ${RATCHETS[kind]}:\n${all.join('\n')}`);
    expect(all).toHaveLength(RATCHETS[kind]);
  });
});
