// Sentences of this project name who does what: words that hide the actor, or that stand for a term of the trade, are found.
import { expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

/** Found words, and what to write instead. */
const words: readonly (readonly [RegExp, string])[] = [
  [/\b(?:some|no|any)body\b/i, 'name the actor: the watcher, the leader, the caller, the storage'],
  [/\banew\b/i, 'again'],
  [/\blets? go(?: of)?\b/i, 'releases, evicts, ends'],
  [/\b(?:take|takes|took|taken) back\b/i, 'revert, roll back'],
  [/\bstands? (?:or|and) falls?\b/i, 'commit or roll back together: a transaction'],
  [/\b(?:comes?|came) about\b/i, 'say what does it'],
  [/\bgo(?:es)? on from\b/i, 'continues from'],
  [/\b(?:is|are) told of\b|\bwhat is told\b/i, 'is notified of'],
  [
    /\bwho (?:reads?|watch(?:es)?|records|listens|hears|dispatches|looks|leads|writes|joins)\b/i,
    'the reader, the watcher',
  ],
];

const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard'], { encoding: 'utf8' })
  .split('\n')
  .filter((name) => /\.(?:[cm]?[jt]sx?|html|md)$/.test(name) && !name.endsWith('tests/docs/words.test.ts'));

test('every sentence names its actor', () => {
  expect(files.length).toBeGreaterThan(300);
  const found = files.flatMap((name) => {
    let text: string;
    try {
      text = readFileSync(name, 'utf8');
    } catch {
      // Removed, and not committed yet.
      return [];
    }
    return text.split('\n').flatMap((line, i) =>
      words.flatMap(([word, instead]) => {
        const [hit] = word.exec(line) ?? [];
        return hit === undefined ? [] : [`${name}:${i + 1}: '${hit}': ${instead}`];
      }),
    );
  });
  expect(found).toEqual([]);
});
