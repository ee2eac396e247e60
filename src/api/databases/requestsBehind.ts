import { isKeptOfHour } from '../../core/database/hours/hourSegments.ts';
import { isActiveCode } from '../../core/database/sessionColumns.ts';
import type { SessionLoad } from '../../store/databases/sessionLoad.ts';
import { type TraceBehind, tracesBehind } from '../../store/databases/tracesBehind.ts';
import type { Window } from '../comparison.ts';
import { type Stretch, stretchOf } from './loads.ts';

const MOST_TRACES = 300;
const MOST_CALLERS = 20;

/** Stored requests in whose course samples saw a statement run, the longest first. @param all sampled sessions of its server alone */
export function requestsBehind(all: SessionLoad, statementId: string, lit: Window): Promise<TraceBehind[]> {
  return tracesBehind(tracePrefixes(all, statementId, stretchOf(lit)), lit.from, lit.to);
}

/** Beginnings of the ids of traces in whose course a statement was seen, spread over the window. */
function tracePrefixes({ rows: all, hours, isByHour }: SessionLoad, statementId: string, { from, to }: Stretch): string[] {
  const found = new Set<string>();
  for (const { hour } of hours)
    if (hour.hourMs >= from && hour.hourMs < to) for (const trace of hour.traces(statementId)) found.add(trace);
  // Of hours that were added up a part of the traces is known: the rest of the window must not have more.
  const isKept = (trace: string) => !isByHour || isKeptOfHour(trace);
  for (const { rows, slotMs } of all) {
    const { values, texts } = rows.column('statement');
    const code = texts.indexOf(statementId) + 1;
    if (code === 0) continue;
    for (let row = 0; row < rows.rows; row++) {
      const at = slotMs + rows.times[row];
      if (values[row] !== code || at < from || at >= to || !isActiveCode(rows.states[row])) continue;
      const trace = rows.traceAt(row);
      if (trace !== '' && isKept(trace)) found.add(trace);
    }
  }
  const list = [...found];
  const every = Math.max(1, Math.ceil(list.length / MOST_TRACES));
  return list.filter((_, at) => at % every === 0);
}

/** Entries of requests, the one that most came by first. */
export function callersOf(traces: readonly TraceBehind[]) {
  const counts = new Map<string, { service: string; operation: string; traces: number }>();
  for (const { service, operation } of traces) {
    const key = `${service} ${operation}`;
    const known = counts.get(key) ?? { service, operation, traces: 0 };
    known.traces++;
    counts.set(key, known);
  }
  return [...counts.values()].sort((a, b) => b.traces - a.traces).slice(0, MOST_CALLERS);
}
