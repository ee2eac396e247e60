import type { TraceNode } from './assemble.ts';

/** A child its parent can wait for: everything but the taking of a message. Linked spans are not children at all. */
export function isSynchronous(child: TraceNode): boolean {
  return child.span.kind !== 'consumer';
}

/** The two ends of one call between processes. */
export function isServerSide(parent: TraceNode, child: TraceNode): boolean {
  return parent.span.kind === 'client' && child.span.kind === 'server';
}
