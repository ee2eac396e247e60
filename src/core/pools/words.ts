import { clockTime } from '../time/clock.ts';
import { formatDuration } from '../time/duration.ts';
import type { PoolFigures } from './poolFigures.ts';
import type { PoolMove } from './whatMoved.ts';
import { HURTS } from './worstPart.ts';

/** Seconds in the unit that reads best; nobody waited: "none". */
export function formatWait(seconds: number | null): string {
  if (seconds === null) return '–';
  return seconds <= 0 ? 'none' : formatDuration(seconds * 1e9);
}

/** What the page of a pool says in one sentence. */
export function poolSentence(name: string, lit: PoolFigures, before: PoolFigures): string {
  if (lit.requests === 0) return `${name}: nobody asked for a connection in this window`;
  const wait = `p95 wait ${formatWait(before.waitP95)} → ${formatWait(lit.waitP95)}`;
  const isLate = (lit.waitP95 ?? 0) >= HURTS || lit.timeouts > 0;
  if (!isLate) return `${name}: nobody waits for a connection${lit.waitP95 ? ` longer than ${formatWait(lit.waitP95)}` : ''}`;
  const holds = lit.holdMean && before.holdMean ? lit.holdMean / before.holdMean : 1;
  const arrivals = before.arrivals > 0 ? lit.arrivals / before.arrivals : 1;
  const few = lit.size === null ? '' : `, so ${lit.size} are too few`;
  if (holds >= 1.5 && holds >= arrivals) return `Each connection is held ${times(holds)} longer${few}: ${wait}`;
  if (arrivals >= 1.5) return `${times(arrivals)} as many ask for a connection${few}: ${wait}`;
  if (before.size !== null && lit.size !== null && lit.size < before.size)
    return `The pool has ${lit.size} connections instead of ${before.size}: ${wait}`;
  return `${name}: ${wait}`;
}

function times(ratio: number): string {
  return `${ratio >= 9.5 ? Math.round(ratio) : Number(ratio.toPrecision(2))}×`;
}

/** What moved first and what followed, in words. */
export function movesSentence(moves: readonly PoolMove[], lit: PoolFigures, before: PoolFigures, zone: string): string {
  const at = ({ minute }: PoolMove) => clockTime(minute * 60_000, zone);
  const parts: string[] = [];
  const find = (what: PoolMove['what']) => moves.find((it) => it.what === what);
  const [size, holds, arrivals, full] = (['size', 'holds', 'arrivals', 'full'] as const).map(find);
  if (size)
    parts.push(
      `The size was set to ${lit.size ?? 'another'} at ${at(size)}${before.size === null ? '' : ` from ${before.size}`}`,
    );
  else if (lit.size !== null && before.size !== null && lit.size !== before.size)
    parts.push(`The size is ${lit.size} instead of ${before.size}, set before this stretch`);
  if (arrivals) parts.push(`arrivals moved at ${at(arrivals)}`);
  else parts.push('arrivals did not move');
  if (holds) parts.push(`hold times moved at ${at(holds)}`);
  else parts.push('hold times did not move');
  if (full) parts.push(`all connections of ${full.of || 'an instance'} were in use from ${at(full)}`);
  const text = parts.join('; ');
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
}
