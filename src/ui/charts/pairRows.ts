/** A line of a chart of two windows: a value for each place in time, null where there is none. */
export interface PairLine {
  readonly name: string;
  readonly side: 'before' | 'lit';
  /** The main line of its side is drawn stronger. */
  readonly main?: boolean;
  readonly points: readonly (readonly [at: number, value: number | null])[];
}

/** A place of both windows: milliseconds from the step in which each begins, and the values of the lines by their keys. */
export type PairRow = Record<string, number | null>;

interface Windows {
  /** Epoch milliseconds. */
  readonly litFrom: number;
  readonly beforeFrom: number;
  readonly stepMs: number;
}

export function pairKey({ side, name }: Pick<PairLine, 'side' | 'name'>): string {
  return `${side} ${name}`;
}

/**
 * The rows of a chart that lays a measure before under the same measure lit, both from the beginning of their windows and as far as the lit one reaches:
 * what a longer one before has beyond that would stand under times that are not its own.
 *
 * @param log whether the axis is logarithmic: it has no place for nothing
 */
export function pairRows(lines: readonly PairLine[], { litFrom, beforeFrom, stepMs }: Windows, log = false): PairRow[] {
  const rows = new Map<number, PairRow>();
  for (const it of lines)
    for (const [at, value] of it.points) {
      // Points lie at whole steps of the clock, windows begin anywhere: the same place of both windows is one place.
      const offset = Math.floor(at / stepMs) * stepMs - Math.floor((it.side === 'lit' ? litFrom : beforeFrom) / stepMs) * stepMs;
      const row = rows.get(offset) ?? { offset };
      rows.set(offset, row);
      row[pairKey(it)] = log && value === 0 ? null : value;
    }
  const all = [...rows.values()].sort((a, b) => a.offset! - b.offset!);
  const litKeys = lines.filter(({ side }) => side === 'lit').map(pairKey);
  const end = all.findLastIndex((row) => litKeys.some((key) => row[key] !== undefined));
  return end < 0 ? all : all.slice(0, end + 1);
}
