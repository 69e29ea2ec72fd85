import { expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

const folder = join(process.cwd(), 'tests/fixtures/lint');
const file = join(folder, 'handlers.tsx');
const marked = (mark: RegExp): number[] =>
  readFileSync(file, 'utf8')
    .split('\n')
    .flatMap((line, i) => (mark.test(line) ? [i + 1] : []));

/** The real command, with the plugin as it is built. */
function lint(types: boolean) {
  const eslint = join(process.cwd(), 'node_modules/eslint/bin/eslint.js');
  const { stdout, stderr } = spawnSync(
    process.execPath,
    [eslint, '--no-config-lookup', '-c', 'eslint.config.mjs', '--format', 'json', file],
    { cwd: folder, encoding: 'utf8', env: { ...process.env, LINT_TYPES: types ? '1' : '0' } },
  );
  if (stdout === '') throw new Error(stderr);
  const [{ messages }] = JSON.parse(stdout) as [{ messages: { line: number; ruleId: string; message: string }[] }];
  return messages;
}

test.each([
  [true, /(\/\/|\/\*) wrong/],
  [false, /(\/\/|\/\*) wrong($| \*\/)/],
])('made and never dispatched or run, with types: %s', (types, mark) => {
  const messages = lint(types);
  expect(messages.map(({ line }) => line)).toEqual(marked(mark));
  expect(new Set(messages.map(({ ruleId }) => ruleId))).toEqual(new Set(['floe/dispatched']));
  expect(messages[0].message).toBe(
    "'opened(...)' only makes an action: nothing happens. Dispatch it: dispatch(opened(...)).",
  );
  expect(messages[1].message).toBe("'save(...)' only makes a call of a task: nothing happens. Run it: run(save(...)).");
});
