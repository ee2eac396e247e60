import { type Nanos, type Span, textAttribute } from './span.ts';

interface Timed {
  readonly span: Span;
  readonly start: Nanos;
  readonly end: Nanos;
}

/**
 * How far a server span must move to lie inside the client span that called it, in nanoseconds; 0 when nothing needs correction.
 *
 * Two machines' clocks are compared only across a call between them: the parent is a client span, the child a server span, both
 * name their host and the hosts differ. The move is the smallest that fits; a child longer than its parent is centred on it.
 */
export function skewShift(parent: Timed, child: Timed): Nanos {
  if (parent.span.kind !== 'client' || child.span.kind !== 'server') return 0;
  if (child.start >= parent.start && child.end <= parent.end) return 0;
  const callerHost = hostOf(parent.span);
  const calleeHost = hostOf(child.span);
  if (!callerHost || !calleeHost || callerHost === calleeHost) return 0;
  const slack = parent.end - parent.start - (child.end - child.start);
  if (slack < 0) return parent.start + Math.floor(slack / 2) - child.start;
  return child.start < parent.start ? parent.start - child.start : parent.end - child.end;
}

function hostOf(span: Span): string | undefined {
  return textAttribute(span.resource, 'host.id') ?? textAttribute(span.resource, 'host.name');
}
