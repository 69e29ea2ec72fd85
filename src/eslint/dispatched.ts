// Finds actions that are made and never dispatched, and calls of tasks that are made and never run, where the result is
// plainly thrown away. With type information it knows every creator and task; without, those declared in the same file.

/** A node of the syntax tree (ESTree), as far as the rule looks at it. */
export interface Node {
  readonly type: string;
  readonly parent?: Node;
  readonly [key: string]: unknown;
}
export interface Variable {
  readonly defs: readonly { readonly type: string; readonly node: Node }[];
}
export interface Scope {
  readonly set: ReadonlyMap<string, Variable>;
  readonly upper: Scope | null;
}
/** A type, as the compiler behind the parser gives it. */
export interface Type {
  getProperty(name: string): object | undefined;
}
export interface Services {
  readonly program?: object | null;
  getTypeAtLocation?(node: Node): Type;
}
export interface Context {
  readonly sourceCode: { readonly parserServices?: Services; getScope(node: Node): Scope };
  report(problem: { node: Node; messageId: 'action' | 'task' | 'handler'; data: { name: string } }): void;
}

type Kind = 'action' | 'task';

const nodeOf = (value: unknown): Node | undefined =>
  typeof value === 'object' && value !== null && 'type' in value ? (value as Node) : undefined;

/** The last name of `visitPlanned` or `model.visitPlanned`. */
const nameOf = (node: Node | undefined): string =>
  node?.type === 'MemberExpression' ? nameOf(nodeOf(node.property)) : typeof node?.name === 'string' ? node.name : 'it';

/** `store.action(...)`, `action(...)` and the like. */
function kindOfDeclaration(init: Node | undefined): Kind | undefined {
  if (init?.type !== 'CallExpression') return undefined;
  const name = nameOf(nodeOf(init.callee));
  return name === 'action' || name === 'task' ? name : undefined;
}

function kindOf(node: Node | undefined, { sourceCode }: Context): Kind | undefined {
  if (node?.type !== 'Identifier' && node?.type !== 'MemberExpression') return undefined;
  const { parserServices } = sourceCode;
  if (parserServices?.program && parserServices.getTypeAtLocation) {
    const type = parserServices.getTypeAtLocation(node);
    const has = (...names: string[]): boolean => names.every((name) => type.getProperty(name) !== undefined);
    return has('made', 'type', 'about') ? 'action' : has('statusOf', 'status', 'definition') ? 'task' : undefined;
  }
  if (node.type !== 'Identifier') return undefined;
  for (let scope: Scope | null = sourceCode.getScope(node); scope; scope = scope.upper) {
    const [definition] = scope.set.get(node.name as string)?.defs ?? [];
    if (definition) return kindOfDeclaration(nodeOf(definition.node.init));
  }
  return undefined;
}

/** Whether the value of an expression goes nowhere. */
function isThrownAway(node: Node): boolean {
  const { parent } = node;
  switch (parent?.type) {
    case 'ExpressionStatement':
      return true;
    case 'AwaitExpression':
    case 'ChainExpression':
      return isThrownAway(parent);
    case 'UnaryExpression':
      return parent.operator === 'void';
    case 'LogicalExpression':
      return parent.right === node && isThrownAway(parent);
    case 'ConditionalExpression':
      return parent.test !== node && isThrownAway(parent);
    case 'ArrowFunctionExpression':
      // onClick={() => visitPlanned(visit)}: the result of an event handler is ignored.
      return parent.body === node && isHandler(parent);
    default:
      return false;
  }
}

/** The value of an attribute like `onClick`. */
function isHandler({ parent }: Node): boolean {
  const attribute = parent?.type === 'JSXExpressionContainer' ? parent.parent : undefined;
  return attribute?.type === 'JSXAttribute' && /^on[A-Z]/.test(nameOf(nodeOf(attribute.name)));
}

export const dispatched = {
  meta: {
    type: 'problem',
    docs: { description: 'Actions that are made are dispatched, and calls of tasks are run.' },
    schema: [],
    messages: {
      action: "'{{name}}(...)' only makes an action: nothing happens. Dispatch it: dispatch({{name}}(...)).",
      task: "'{{name}}(...)' only makes a call of a task: nothing happens. Run it: run({{name}}(...)).",
      handler: "'{{name}}' as a handler only makes something and dispatches nothing: (...) => dispatch({{name}}(...)).",
    },
  },
  create(context: Context) {
    return {
      CallExpression(node: Node): void {
        if (!isThrownAway(node)) return;
        const callee = nodeOf(node.callee);
        const kind = kindOf(callee, context);
        if (kind) context.report({ node, messageId: kind, data: { name: nameOf(callee) } });
      },
      JSXExpressionContainer(node: Node): void {
        const value = nodeOf(node.expression);
        if (value && isHandler({ ...value, parent: node }) && kindOf(value, context))
          context.report({ node: value, messageId: 'handler', data: { name: nameOf(value) } });
      },
    };
  },
} as const;
