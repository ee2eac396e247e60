import { type AnyNode, type CallExpression, type Function as FunctionNode, type Node, parse } from 'acorn';
import { base, type RecursiveVisitors, recursive } from 'acorn-walk';
import type { FileFacts, LineFacts, Loop, Mark } from './lineFacts.ts';

/** Methods of lists that call a function for each item. */
const EACH = new Set(['forEach', 'map', 'filter', 'reduce', 'flatMap', 'some', 'every', 'find', 'findIndex', 'reduceRight']);
const SEARCHES = new Set(['indexOf', 'lastIndexOf', 'includes', 'find', 'findIndex']);
const KEEPS = new Set(['push', 'unshift', 'set', 'add']);
const COPIES = new Set(['concat', 'slice', 'toSorted', 'toReversed', 'with']);
const LOGGERS = /^(?:console|log|logger|logging)$/;
const LOG_CALLS = /^(?:debug|trace|log)$/;
const QUERIES = /^(?:query|execute|fetch|findOne|findUnique|get|send|request)$/;

interface Scope {
  readonly name: string;
  readonly start: number;
  readonly loops: readonly Loop[];
}

/**
 * Facts of JavaScript, by its syntax tree (acorn).
 *
 * @returns undefined for text that is no JavaScript, such as TypeScript
 */
export function scriptFacts(source: string): FileFacts | undefined {
  const tree = parsed(source);
  if (!tree) return undefined;
  const drafts = new Map<number, { function: string; start: number; loops: readonly Loop[]; marks: Set<Mark> }>();
  const texts = textVariables(tree);
  const note = (node: Node, scope: Scope, mark?: Mark) => {
    const { line } = node.loc!.start;
    const draft = drafts.get(line);
    if (!draft)
      drafts.set(line, { function: scope.name, start: scope.start, loops: scope.loops, marks: new Set(mark ? [mark] : []) });
    else {
      // The innermost of what stands on a line: samples do not tell columns.
      if (scope.loops.length > draft.loops.length || (scope.loops.length === draft.loops.length && scope.start > draft.start)) {
        draft.loops = scope.loops;
        draft.function = scope.name;
        draft.start = scope.start;
      }
      if (mark) draft.marks.add(mark);
    }
  };
  const within = (scope: Scope, over: string): Scope => ({ ...scope, loops: [...scope.loops, { over }] });
  const isText = (node: AnyNode): boolean => looksLikeText(node, texts);

  type Visit = (node: AnyNode, scope: Scope) => void;
  const loop = (
    node: { body: AnyNode; loc?: unknown },
    scope: Scope,
    visit: Visit,
    over: string,
    heads: (AnyNode | null | undefined)[],
  ) => {
    for (const head of heads) if (head) visit(head, scope);
    const inner = within(scope, over);
    note(node as unknown as Node, inner);
    note(node.body, inner);
    visit(node.body, inner);
  };
  const functionOf = (node: FunctionNode, name: string, loops: readonly Loop[], visit: Visit) => {
    const scope = { name, loops, start: node.loc!.start.line };
    note(node, scope);
    for (const parameter of node.params) visit(parameter, scope);
    visit(node.body, scope);
  };
  const visitors: RecursiveVisitors<Scope> = {
    ForStatement: (node, scope, visit) =>
      loop(node, scope, visit as Visit, boundOf(node.test), [node.init, node.test, node.update]),
    ForOfStatement: (node, scope, visit) => loop(node, scope, visit as Visit, nameOf(node.right), [node.left, node.right]),
    ForInStatement: (node, scope, visit) => loop(node, scope, visit as Visit, nameOf(node.right), [node.left, node.right]),
    WhileStatement: (node, scope, visit) => loop(node, scope, visit as Visit, boundOf(node.test), [node.test]),
    DoWhileStatement: (node, scope, visit) => loop(node, scope, visit as Visit, boundOf(node.test), [node.test]),
    FunctionDeclaration: (node, _, visit) => functionOf(node, node.id?.name ?? '', [], visit as Visit),
    FunctionExpression: (node, _, visit) => functionOf(node, node.id?.name ?? '', [], visit as Visit),
    ArrowFunctionExpression: (node, _, visit) => functionOf(node, '', [], visit as Visit),
    MethodDefinition: (node, scope, visit) => {
      if (node.computed) (visit as Visit)(node.key, scope);
      if (node.value) functionOf(node.value, nameOf(node.key as AnyNode), [], visit as Visit);
    },
    Statement: (node, scope, visit) => {
      note(node, scope);
      (visit as Visit)(node, scope);
    },
    Expression: (node, scope, visit) => {
      note(node, scope);
      (visit as Visit)(node, scope);
    },
    AssignmentExpression: (node, scope, visit) => {
      const left = nameOf(node.left as AnyNode);
      const appends =
        (node.operator === '+=' && (isText(node.right) || texts.has(left))) ||
        (node.operator === '=' &&
          node.right.type === 'BinaryExpression' &&
          startsWith(node.right, left) &&
          (isText(node.right) || texts.has(left)));
      if (appends) note(node, scope, 'append text');
      if (node.left.type === 'MemberExpression' && node.left.computed) note(node, scope, 'keep');
      base.AssignmentExpression!(node, scope, visit);
    },
    NewExpression: (node, scope, visit) => {
      if (nameOf(node.callee as AnyNode) === 'RegExp') note(node, scope, 'compile pattern');
      base.NewExpression!(node, scope, visit);
    },
    SpreadElement: (node, scope, visit) => {
      note(node, scope, 'copy list');
      base.SpreadElement!(node, scope, visit);
    },
    ThrowStatement: (node, scope, visit) => {
      note(node, scope, 'throw');
      base.ThrowStatement!(node, scope, visit);
    },
    AwaitExpression: (node, scope, visit) => {
      if (node.argument.type === 'CallExpression' && QUERIES.test(calleeOf(node.argument).method)) note(node, scope, 'query');
      base.AwaitExpression!(node, scope, visit);
    },
    CallExpression: (node, scope, visit) => {
      for (const mark of marksOfCall(node, texts)) note(node, scope, mark);
      const { method, object } = calleeOf(node);
      (visit as Visit)(node.callee as AnyNode, scope);
      for (const argument of node.arguments) {
        const isEach = EACH.has(method) && isFunction(argument as AnyNode);
        // A function that is called for each item stands in a loop of its own.
        if (isEach) functionOf(argument as FunctionNode, '', [{ over: object }], visit as Visit);
        else (visit as Visit)(argument as AnyNode, scope);
      }
    },
  };
  recursive(tree, { name: '', loops: [], start: 0 } as Scope, visitors);
  return drafts as ReadonlyMap<number, LineFacts>;
}

function parsed(source: string): AnyNode | undefined {
  for (const sourceType of ['module', 'script'] as const)
    try {
      return parse(source, {
        ecmaVersion: 'latest',
        sourceType,
        locations: true,
        allowHashBang: true,
        allowReturnOutsideFunction: true,
        allowAwaitOutsideFunction: true,
      }) as AnyNode;
    } catch {
      // Tried as the other kind.
    }
  return undefined;
}

function marksOfCall(node: CallExpression, texts: ReadonlySet<string>): Mark[] {
  const { object, method } = calleeOf(node);
  const marks: Mark[] = [];
  if ((object === 'JSON' && /^(?:parse|stringify)$/.test(method)) || method === 'structuredClone') marks.push('serialize');
  if (method === 'RegExp') marks.push('compile pattern');
  if (method === 'sort' || method === 'toSorted') marks.push('sort');
  if (SEARCHES.has(method) && object !== '' && !texts.has(object)) marks.push('search');
  if (KEEPS.has(method) && object !== '') marks.push('keep');
  if (COPIES.has(method) && !texts.has(object)) marks.push('copy list');
  if (/Sync$/.test(method)) marks.push('blocking call');
  if (LOGGERS.test(object) || (object === '' && LOG_CALLS.test(method))) marks.push('log');
  return marks;
}

/** What is called, of what. */
function calleeOf({ callee }: CallExpression): { object: string; method: string } {
  if (callee.type === 'MemberExpression')
    return { object: nameOf(callee.object as AnyNode), method: nameOf(callee.property as AnyNode) };
  return { object: '', method: nameOf(callee as AnyNode) };
}

function isFunction(node: AnyNode): node is FunctionNode & AnyNode {
  return node.type === 'ArrowFunctionExpression' || node.type === 'FunctionExpression';
}

/** A name, or the last of a path; empty for anything else. */
function nameOf(node: AnyNode | null | undefined): string {
  switch (node?.type) {
    case 'Identifier':
    case 'PrivateIdentifier':
      return node.name;
    case 'MemberExpression':
      return nameOf(node.property as AnyNode);
    case 'CallExpression':
      return calleeOf(node).object || calleeOf(node).method;
    case 'VariableDeclaration':
      return nameOf(node.declarations[0]?.id);
    default:
      return '';
  }
}

/** What a condition counts up to: `list` in `at < list.length`. */
function boundOf(test: AnyNode | null | undefined): string {
  if (test?.type !== 'BinaryExpression') return '';
  const { right } = test;
  return right.type === 'MemberExpression' && nameOf(right.property as AnyNode) === 'length'
    ? nameOf(right.object as AnyNode)
    : nameOf(right);
}

function startsWith(node: AnyNode, name: string): boolean {
  if (name === '') return false;
  let first = node;
  while (first.type === 'BinaryExpression' && first.operator === '+') first = first.left as AnyNode;
  return nameOf(first) === name;
}

/** Variables that begin as text. */
function textVariables(tree: AnyNode): Set<string> {
  const names = new Set<string>();
  const none = new Set<string>();
  recursive(tree, undefined, {
    VariableDeclarator: (node, state, visit) => {
      if (node.init && looksLikeText(node.init, none)) names.add(nameOf(node.id as AnyNode));
      base.VariableDeclarator!(node, state, visit);
    },
  });
  names.delete('');
  return names;
}

function looksLikeText(node: AnyNode, texts: ReadonlySet<string>): boolean {
  switch (node.type) {
    case 'TemplateLiteral':
      return true;
    case 'Literal':
      return typeof node.value === 'string';
    case 'Identifier':
      return texts.has(node.name);
    case 'BinaryExpression':
      return node.operator === '+' && (looksLikeText(node.left as AnyNode, texts) || looksLikeText(node.right, texts));
    case 'ConditionalExpression':
      return looksLikeText(node.consequent, texts) || looksLikeText(node.alternate, texts);
    case 'CallExpression':
      return (
        /^(?:String|toString|join|padStart|padEnd|toFixed|toUpperCase|toLowerCase|stringify|charAt|repeat|slice)$/.test(
          calleeOf(node).method,
        ) && calleeOf(node).method !== 'slice'
      );
    default:
      return false;
  }
}
