import { parseDuration } from '../time/duration.ts';
import { condition } from './condition.ts';
import { parseCondition, parsePattern, splitConditions } from './conditionText.ts';
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

const FAILED = /^([\w-]+)\.failed$/;
const SERVICE_OVER = /^([\w-]+)\s*(>=|<=|>|<|over|under)\s*(\d[\w.]*)$/;

/** A pattern of spans as people type it: "berths.failed", "berths > 1s", "holds above berths > 1s"; undefined when it is none. */
function shortPattern(typed: string): string | undefined {
  if (/^(span|root)\s/.test(typed)) return undefined;
  const steps = typed.split(/\s+above\s+/);
  const written = steps.map((step) => {
    const failed = FAILED.exec(step);
    if (failed) return `service is ${failed[1]} and failed is yes`;
    const over = SERVICE_OVER.exec(step);
    if (over && over[1] !== 'duration' && parseDuration(over[3]) !== undefined && /[a-zµ]$/.test(over[3]))
      return `service is ${over[1]} and duration ${/[>o]/.test(over[2][0]) ? 'over' : 'under'} ${over[3]}`;
    if (steps.length === 1) return undefined;
    return /^[\w-]+$/.test(step) ? `service is ${step}` : step;
  });
  if (written.includes(undefined)) return undefined;
  const pattern = written.join(' above ');
  return typeof parsePattern(pattern) === 'string' ? undefined : pattern;
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
  const pattern = shortPattern(typed);
  if (pattern) return withChip(scope, condition('span', 'where', pattern));
  if (!/[\s=<>~]/.test(typed)) return withChip(scope, condition('service', 'is', typed));
  const read = parseCondition(typed);
  return typeof read === 'string' ? read : withChip(scope, read);
}
