// `npm run bench:types`: what a large model costs the compiler, against the same model written as plain functions.
import ts from 'typescript';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const STORES = 100;
const ACTIONS = 20;
const root = fileURLToPath(new URL('..', import.meta.url));

const state = (s) =>
  `{ rows: [] as { id: string; n: number; tags: string[] }[], picked: null as string | null, count: ${s} }`;

const withFloe = (s) => `import { store } from 'floe';
export const store${s} = store('store${s}', ${state(s)});
${Array.from(
  { length: ACTIONS },
  (
    _,
    a,
  ) => `export const happened${s}x${a} = store${s}.action('happened${a}', (draft, row: { id: string; n: number; tags: string[] }) => {
  draft.rows.push(row);
  draft.picked = row.id;
  draft.count += ${a};
});`,
).join('\n')}
export const count${s} = store${s}.selector('count', (state) => state.rows.length + state.count);
export const made${s} = [${Array.from({ length: ACTIONS }, (_, a) => `happened${s}x${a}({ id: 'a', n: 1, tags: [] }).type`).join(', ')}];
`;

const plainFunctions = (s) => `const initial${s} = ${state(s)};
type State${s} = typeof initial${s};
${Array.from(
  { length: ACTIONS },
  (
    _,
    a,
  ) => `export const happened${s}x${a} = (row: { id: string; n: number; tags: string[] }) => ({ type: 'store${s}.happened${a}' as const, payload: row });
export function change${s}x${a}(state: State${s}, row: { id: string; n: number; tags: string[] }): State${s} {
  return { ...state, rows: [...state.rows, row], picked: row.id, count: state.count + ${a} };
}`,
).join('\n')}
export type Action${s} = ${Array.from({ length: ACTIONS }, (_, a) => `ReturnType<typeof happened${s}x${a}>`).join(' | ')};
export function reduce${s}(state: State${s} = initial${s}, action: Action${s}): State${s} {
  switch (action.type) {
${Array.from({ length: ACTIONS }, (_, a) => `    case 'store${s}.happened${a}':\n      return change${s}x${a}(state, action.payload);`).join('\n')}
    default:
      return state;
  }
}
export const count${s} = (state: State${s}) => state.rows.length + state.count;
export const made${s} = [${Array.from({ length: ACTIONS }, (_, a) => `happened${s}x${a}({ id: 'a', n: 1, tags: [] }).type`).join(', ')}];
`;

function cost(write) {
  const folder = mkdtempSync(join(root, 'dist', 'types-'));
  try {
    const files = Array.from({ length: STORES }, (_, s) => {
      const file = join(folder, `model${s}.ts`);
      writeFileSync(file, write(s));
      return file;
    });
    const program = ts.createProgram(files, {
      target: ts.ScriptTarget.ES2022,
      module: ts.ModuleKind.NodeNext,
      moduleResolution: ts.ModuleResolutionKind.NodeNext,
      strict: true,
      noEmit: true,
      skipLibCheck: true,
      lib: ['lib.es2022.d.ts'],
      types: [],
    });
    const began = performance.now();
    const found = ts.getPreEmitDiagnostics(program);
    if (found.length > 0) throw new Error(ts.flattenDiagnosticMessageText(found[0].messageText, '\n'));
    return {
      instantiations: program.getInstantiationCount(),
      types: program.getTypeCount(),
      ms: performance.now() - began,
    };
  } finally {
    rmSync(folder, { recursive: true });
  }
}

/** Instantiations of the model written with Floe, and as plain functions. */
export function typeCost() {
  return { floe: cost(withFloe), plain: cost(plainFunctions) };
}

if (import.meta.url === new URL(process.argv[1], 'file:').href) console.log(typeCost());
