import { type Frame, frameKey, functionKey } from './stackSample.ts';

/** A stack with what it weighs lit and before. */
export interface PairedStack {
  /** The innermost frame first. */
  readonly frames: readonly Frame[];
  readonly lit: number;
  readonly before: number;
}

/** How stacks are laid into a tree. */
export interface TreeShape {
  /** `down`: from the entry to the innermost frame; `up`: from the innermost to those who called it. */
  readonly direction: 'down' | 'up';
  /** What is one box: a function, each of its lines, or a package. */
  readonly by: 'function' | 'line' | 'package';
}

/**
 * Calls as a tree, node by node: children come after their parents. Node 0 is the root, which stands for all samples. Totals hold what
 * children have; what of them is the node's own is the rest.
 */
export interface CallTree {
  readonly frames: readonly Frame[];
  /** Of each node: which of the frames; -1 for the root. */
  readonly frame: number[];
  /** Of each node: its parent; -1 for the root. */
  readonly parent: number[];
  readonly lit: number[];
  readonly before: number[];
  /** Nodes that were left out, each narrower than `least` of the whole, and what they weigh. */
  readonly leftOut: { readonly nodes: number; readonly lit: number; readonly before: number };
}

/** Nodes that weigh less than this share of the whole, on both sides, are left out. */
const LEAST = 1 / 20_000;
/** Deeper stacks are cut there: of a recursion that deep more tells nothing. */
const DEEPEST = 500;

interface Node {
  readonly frame: number;
  readonly parent: Node | undefined;
  readonly children: Map<number, Node>;
  lit: number;
  before: number;
}

/** The tree of calls of some stacks. Cost O(frames of all stacks). */
export function callTree(stacks: readonly PairedStack[], { direction, by }: TreeShape, least = LEAST): CallTree {
  const frames: Frame[] = [];
  const indices = new Map<string, number>();
  const known = new Map<Frame, number>();
  const indexOf = (frame: Frame): number => {
    const seen = known.get(frame);
    if (seen !== undefined) return seen;
    const shown = shownFrame(frame, by);
    const key = frameKey(shown);
    let index = indices.get(key);
    if (index === undefined) {
      index = frames.push(shown) - 1;
      indices.set(key, index);
    }
    known.set(frame, index);
    return index;
  };
  const root: Node = { frame: -1, parent: undefined, children: new Map(), lit: 0, before: 0 };
  for (const { frames: stack, lit, before } of stacks) {
    let node = root;
    node.lit += lit;
    node.before += before;
    const depth = Math.min(stack.length, DEEPEST);
    for (let step = 0; step < depth; step++) {
      const index = indexOf(stack[direction === 'down' ? stack.length - 1 - step : step]);
      // A package that calls itself is one box.
      if (by === 'package' && node.frame === index) continue;
      let child = node.children.get(index);
      if (!child) {
        child = { frame: index, parent: node, children: new Map(), lit: 0, before: 0 };
        node.children.set(index, child);
      }
      child.lit += lit;
      child.before += before;
      node = child;
    }
  }
  return flattened(root, frames, least);
}

/** What of a frame is told apart. */
function shownFrame(frame: Frame, by: TreeShape['by']): Frame {
  if (by === 'line') return frame;
  if (by === 'function') return { ...frame, line: 0 };
  return { name: packageOf(frame), file: '', line: 0 };
}

function flattened(root: Node, frames: readonly Frame[], least: number): CallTree {
  const frame: number[] = [];
  const parent: number[] = [];
  const lit: number[] = [];
  const before: number[] = [];
  const leftOut = { nodes: 0, lit: 0, before: 0 };
  const open: { node: Node; parent: number }[] = [{ node: root, parent: -1 }];
  while (open.length > 0) {
    const { node, parent: above } = open.pop()!;
    const at = frame.push(node.frame) - 1;
    parent.push(above);
    lit.push(node.lit);
    before.push(node.before);
    // In the order of names, so that the same code lies at the same place whatever it weighs.
    const children = [...node.children.values()].sort((a, b) => compareFrames(frames[a.frame], frames[b.frame]));
    for (const child of children.reverse())
      if (child.lit >= least * root.lit && child.lit > 0) open.push({ node: child, parent: at });
      else if (child.before >= least * root.before && child.before > 0) open.push({ node: child, parent: at });
      else {
        leftOut.nodes++;
        leftOut.lit += child.lit;
        leftOut.before += child.before;
      }
  }
  return { frames, frame, parent, lit, before, leftOut };
}

function compareFrames(a: Frame, b: Frame): number {
  const [keyA, keyB] = [functionKey(a), functionKey(b)];
  return keyA < keyB ? -1 : keyA > keyB ? 1 : a.line - b.line;
}

/** The package that a frame lies in, by its name or else the folder of its file. */
export function packageOf({ name, file }: Frame): string {
  if (/^node:/.test(file)) return 'node';
  const module = /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(file) ?? /site-packages\/([^/]+)/.exec(file);
  if (module) return module[1];
  if (/\.go$|\.s$/.test(file)) return /^(.*?[^/.]*)\.[^/]*$/.exec(name)?.[1].replace(/\.\(.*$/, '') ?? folderOf(file);
  if (/\.(?:java|kt|scala)$/.test(file)) return /^(.*)\.[^.]+\.[^.]+$/.exec(name)?.[1] ?? folderOf(file);
  return folderOf(file);
}

function folderOf(file: string): string {
  const path = file.replace(/^file:\/\//, '');
  const at = path.lastIndexOf('/');
  return at > 0 ? path.slice(0, at) : path || 'unknown';
}
