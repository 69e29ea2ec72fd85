// Finds actions that are made and never dispatched, and calls of tasks that are made and never run, where the result is
// plainly thrown away. With type information it knows every creator and task; without, those declared in the same file.

/** A node of the syntax tree (ESTree), as far as the rule looks at it. */
export interface Node {
  readonly type: string;
  readonly parent?: Node;
  readonly [key: string]: unknown;
}
interface Variable {
  readonly defs: readonly { readonly type: string; readonly node: Node }[];
}
interface Scope {
  readonly set: ReadonlyMap<string, Variable>;
  readonly upper: Scope | null;
}
/** A type, as the compiler behind the parser gives it. */
interface Type {
  getProperty(name: string): object | undefined;
}
interface Services {
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
  node?.type === 'MemberExpression'
    ? nameOf(nodeOf(node.property))
    : node?.type === 'CallExpression'
      ? nameOf(firstOf(node))
      : typeof node?.name === 'string'
        ? node.name
        : 'it';

const firstOf = ({ arguments: given }: Node): Node | undefined => nodeOf((given as readonly unknown[])[0]);

/** `copy.its(opened)`: the copy's own version of a creator. */
const isOwn = (node: Node): boolean => {
  const callee = nodeOf(node.callee);
  return callee?.type === 'MemberExpression' && nameOf(callee) === 'its';
};

/** `store.action(...)`, `action(...)` and the like. */
function kindOfDeclaration(init: Node | undefined): Kind | undefined {
  if (init?.type !== 'CallExpression') return undefined;
  const name = nameOf(nodeOf(init.callee));
  return name === 'action' || name === 'task' ? name : undefined;
}

function kindOf(node: Node | undefined, context: Context): Kind | undefined {
  const { sourceCode } = context;
  if (node?.type === 'CallExpression') return isOwn(node) ? kindOf(firstOf(node), context) : undefined;
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

/** Functions that ignore what the functions return that they are given. */
const IGNORING = new Set([
  ...['addEventListener', 'setTimeout', 'setInterval', 'setImmediate', 'queueMicrotask', 'requestAnimationFrame'],
  ...['requestIdleCallback', 'forEach', 'on', 'once', 'watch', 'watchEffect', 'effect', 'useEffect'],
]);

const EVENTS = new Set(
  (
    'click dblclick input change submit reset focus focusin focusout blur load error message scroll ' +
    'wheel close open toggle popstate storage online offline beforeunload copy cut paste select play pause ended drop'
  ).split(' '),
);

/** A name like `onClick`, or `onclick` as the DOM has it. */
function isOn(node: Node | undefined): boolean {
  const name = nameOf(node);
  if (/^on(?:[A-Z]|(?:key|mouse|pointer|touch|drag|animation|transition)[a-z]*$)/.test(name)) return true;
  return name.startsWith('on') && EVENTS.has(name.slice(2));
}

/** Whether what a function returns that stands here is ignored: it handles an event, or a timer calls it. */
function isHandler(node: Node): boolean {
  const { parent } = node;
  switch (parent?.type) {
    case 'JSXExpressionContainer':
      return parent.parent?.type === 'JSXAttribute' && isOn(nodeOf(parent.parent.name));
    case 'AssignmentExpression':
      return parent.right === node && isOn(nodeOf(parent.left));
    case 'Property':
      return parent.value === node && parent.parent?.type === 'ObjectExpression' && isOn(nodeOf(parent.key));
    case 'PropertyDefinition':
      return parent.value === node && isOn(nodeOf(parent.key));
    case 'CallExpression':
      return (parent.arguments as readonly unknown[]).includes(node) && IGNORING.has(nameOf(calleeOf(parent)));
    default:
      return false;
  }
}

/** What is called, by its last name; not what a call gives. */
const calleeOf = (call: Node): Node | undefined => {
  const callee = nodeOf(call.callee);
  return callee?.type === 'CallExpression' ? undefined : callee;
};

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
    const handler = (node: Node): void => {
      if (isHandler(node) && kindOf(node, context))
        context.report({ node, messageId: 'handler', data: { name: nameOf(node) } });
    };
    return {
      Identifier: handler,
      MemberExpression: handler,
      CallExpression(node: Node): void {
        handler(node);
        if (!isThrownAway(node)) return;
        const callee = nodeOf(node.callee);
        const kind = kindOf(callee, context);
        if (kind) context.report({ node, messageId: kind, data: { name: nameOf(callee) } });
      },
    };
  },
} as const;
