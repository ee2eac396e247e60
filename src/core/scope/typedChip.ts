import { parseDuration } from '../time/duration.ts';
import { type Scope, withChip, withDurations } from './scope.ts';

const METHOD_AND_PATH = /^[A-Z]+ \//;

/**
 * Narrows a scope by what people type: "berths", "POST /holds", "> 3s", "< 250ms", "failed", "fine".
 *
 * @returns the narrower scope, or in words why it cannot be understood
 */
export function readTypedChip(scope: Scope, text: string): Scope | string {
  const typed = text.trim();
  const compared = /^([<>])\s*(.*)$/.exec(typed);
  if (compared) {
    const ns = parseDuration(compared[2]);
    if (ns === undefined) return `"${compared[2]}" is no duration: try 3s or 250ms`;
    return compared[1] === '>'
      ? withDurations(scope, ns, bound(scope, 'faster'))
      : withDurations(scope, bound(scope, 'slower'), ns);
  }
  if (typed === '') return 'Nothing was typed';
  if (typed === 'failed' || typed === 'fine') return withChip(scope, 'failed', typed === 'failed' ? 'yes' : 'no');
  return withChip(scope, METHOD_AND_PATH.test(typed) ? 'entry' : 'service', typed);
}

function bound({ chips }: Scope, field: 'slower' | 'faster'): number | undefined {
  const chip = chips.find((it) => it.field === field);
  return chip && parseDuration(chip.value);
}
