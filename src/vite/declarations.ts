// What stands in a module beside the declarations that can be renewed: functions of its own, constants, side effects.
import { createHash } from 'node:crypto';

/** What is used here of a syntax tree (ESTree). */
interface Node {
  readonly type: string;
  readonly start: number;
  readonly end: number;
  readonly [part: string]: unknown;
}

const CALLS = new Set(['store', 'action', 'selector', 'task', 'tables', 'copyOf']);
/** Statements that do something when a module is evaluated. */
const DOING = new Set(['ExpressionStatement', 'IfStatement', 'ForStatement', 'ForOfStatement', 'TryStatement']);
/** Expressions that do nothing: `void runtime;`, a directive. */
const STILL = new Set(['UnaryExpression', 'Identifier', 'Literal']);
const METHODS = new Set(['action', 'selector', 'when', 'invariant', 'persisted', 'edits']);

/** Whether an expression declares something: `store(...)`, `visits.action(...)`, `store(...).persisted()`. */
function declares({ type, callee }: Node): boolean {
  if (type !== 'CallExpression') return false;
  const called = callee as Node;
  if (called.type === 'Identifier') return CALLS.has(called.name as string);
  return called.type === 'MemberExpression' && METHODS.has((called.property as Node).name as string);
}

/** Whether a statement only declares what is exported, or what belongs to a store. */
function isDeclaration(statement: Node): boolean {
  if (statement.type === 'ExpressionStatement') return declares(statement.expression as Node);
  const declared = statement.type === 'ExportNamedDeclaration' ? (statement.declaration as Node | null) : null;
  if (declared?.type !== 'VariableDeclaration') return false;
  return (declared.declarations as readonly { readonly init: Node | null }[]).every(
    ({ init }) => init && declares(init),
  );
}

/**
 * A short text that differs when the code of a module differs beside its declarations.
 * @param program the tree of its JavaScript
 * @returns nothing where the module does something when it is evaluated, which would then happen again
 */
export function besideDeclarations(program: object, code: string): string | undefined {
  const { body } = program as { readonly body: readonly Node[] };
  const rest = body.filter((one) => !isDeclaration(one));
  const does = ({ type, expression }: Node): boolean =>
    DOING.has(type) && !(type === 'ExpressionStatement' && STILL.has((expression as Node).type));
  if (rest.some(does)) return undefined;
  const text = rest.map(({ start, end }) => code.slice(start, end)).join('\n');
  return createHash('sha256').update(text).digest('base64url').slice(0, 12);
}
