import { isActiveCode, sessionRows, TRACE_PREFIX } from '../../core/database/sessionColumns.ts';
import { idStartOfHex } from '../../core/measures/idStart.ts';
import type { TraceId } from '../../core/trace/span.ts';
import { LOCKS } from '../../core/trace/time/databaseWaits.ts';
import type { DatabaseWaits } from '../../core/trace/time/ledger.ts';
import { sessionSegments } from '../columns/sessionSegments.ts';

/** Traces of which waits are read, at most. */
const MOST = 100_000;

interface SampledWaits {
  /** Whether a trace may have been seen waiting: most were not, and that is known by the beginning of their ids. @see idStartOf */
  readonly mayHave: (idStart: number) => boolean;
  readonly of: (traceId: TraceId, server: string) => DatabaseWaits | undefined;
}

/**
 * What the samples of database sessions say of the traces that began in some time: what part of a server's time for a trace was spent waiting for
 * locks and for storage. Traces that were not seen waiting are not in it. Times are epoch nanoseconds, `to` exclusive.
 */
export async function sampledWaits(from: bigint, to: bigint): Promise<SampledWaits> {
  const counts = new Map<string, { samples: number; lock: number; io: number }>();
  const [fromMs, toMs] = [Number(from / 1_000_000n), Number(to / 1_000_000n)];
  for await (const { segment, from: slotNs, label: server } of sessionSegments.read({ from, to })) {
    const rows = sessionRows(segment);
    const slotMs = Number(slotNs / 1_000_000n);
    const isLock = rows.classes.texts.map((text) => LOCKS.has(text));
    const isIo = rows.classes.texts.map((text) => text === 'IO');
    for (let row = 0; row < rows.rows; row++) {
      const at = slotMs + rows.times[row];
      if (at < fromMs || at >= toMs || !isActiveCode(rows.states[row])) continue;
      const trace = rows.traceAt(row);
      if (trace === '') continue;
      const key = `${trace} ${server}`;
      let of = counts.get(key);
      if (!of) {
        if (counts.size >= MOST) continue;
        of = { samples: 0, lock: 0, io: 0 };
        counts.set(key, of);
      }
      const code = rows.classes.values[row];
      of.samples++;
      if (code > 0 && isLock[code - 1]) of.lock++;
      if (code > 0 && isIo[code - 1]) of.io++;
    }
  }
  const waited = new Set<number>();
  for (const [key, { lock, io }] of counts) if (lock + io > 0) waited.add(idStartOfHex(key));
  return {
    mayHave: (idStart) => waited.has(idStart),
    of: (traceId, server) => {
      const of = counts.get(`${traceId.slice(0, TRACE_PREFIX)} ${server}`);
      return of && of.lock + of.io > 0 ? { lock: of.lock / of.samples, io: of.io / of.samples } : undefined;
    },
  };
}
