// A shrunk program as it is shown: what the application is, and what is done, in a form that can be pasted.
import type { Operation } from './program.js';
import type { Given } from './simulate.js';

const callOf = ({ do: what, s, a, b, x, inner, throws }: Operation, indent: string): string => {
  const numbers = `{ do: '${what}', s: ${s}, a: ${a}, b: ${b}, x: ${x}`;
  if (!inner) return `${indent}${numbers} },`;
  const parts = inner.map((one) => callOf(one, `${indent}  `)).join('\n');
  return `${indent}${numbers}, throws: ${String(throws)}, inner: [\n${parts}\n${indent}] },`;
};

export function printed({ scenario: { profile, blueprint, program }, check }: Given): string {
  return [
    `const scenario: Scenario = {`,
    `  profile: '${profile}',`,
    `  blueprint: ${JSON.stringify(blueprint)},`,
    `  program: [`,
    ...program.map((one) => callOf(one, '    ')),
    `  ],`,
    `};`,
    `await played({ scenario, check: '${check}' }, libraries);`,
  ].join('\n');
}
