import { parseDuration } from '../time/duration.ts';
import { condition, parseCondition, splitConditions } from './condition.ts';
import { durationBounds, type Scope, withChip, withDurations } from './scope.ts';

const METHOD_AND_PATH = /^[A-Z]+ \//;

/**
 * Narrows a scope by what people type: a service ("berths"), an entry ("POST /holds"), "> 3s", "failed", "fine", or conditions as they
 * stand in the address ("ferry.route is tern-marram; booking.value over 500").
 *
 * @returns the narrower scope, or in words why it cannot be understood
 */
export function readTypedChip(scope: Scope, text: string): Scope | string {
  let next = scope;
  const parts = splitConditions(text);
  if (parts.length === 0) return 'Nothing was typed';
  for (const part of parts) {
    const narrowed = readOne(next, part);
    if (typeof narrowed === 'string') return narrowed;
    next = narrowed;
  }
  return next;
}

function readOne(scope: Scope, typed: string): Scope | string {
  const compared = /^([<>])\s*(.*)$/.exec(typed);
  if (compared) {
    const ns = parseDuration(compared[2]);
    if (ns === undefined) return `"${compared[2]}" is no duration: try 3s or 250ms`;
    const { least, most } = durationBounds(scope);
    return compared[1] === '>' ? withDurations(scope, ns, most) : withDurations(scope, least, ns);
  }
  if (typed === 'failed' || typed === 'fine')
    return withChip(scope, condition('failed', 'is', typed === 'failed' ? 'yes' : 'no'));
  if (METHOD_AND_PATH.test(typed)) return withChip(scope, condition('entry', 'is', typed));
  if (!/[\s=<>~]/.test(typed)) return withChip(scope, condition('service', 'is', typed));
  const read = parseCondition(typed);
  return typeof read === 'string' ? read : withChip(scope, read);
}
