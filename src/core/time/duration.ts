const UNITS = [
  { ns: 3_600_000_000_000, name: 'h' },
  { ns: 60_000_000_000, name: 'min' },
  { ns: 1_000_000_000, name: 's' },
  { ns: 1_000_000, name: 'ms' },
  { ns: 1_000, name: 'µs' },
] as const;

/** A duration in the unit that reads best, three significant digits: "7.42 s", "44.7 ms", "2 min 5 s". @param ns nanoseconds */
export function formatDuration(ns: number): string {
  if (ns < 0) return `−${formatDuration(-ns)}`;
  if (ns >= 60_000_000_000) return inTwoUnits(ns);
  for (const [at, unit] of UNITS.entries()) {
    // 999.6 ms would round to "1000 ms": it reads better as 1.00 s.
    if (ns < unit.ns * 0.9995) continue;
    if (unit.name === 'min') return inTwoUnits(60_000_000_000);
    return `${significant(ns / unit.ns)} ${UNITS[at].name}`;
  }
  return `${Math.round(ns)} ns`;
}

/** A round duration without the digits that say nothing: "3 s", "250 ms", "1.5 s". For axes. */
export function shortDuration(ns: number): string {
  return ns === 0
    ? '0'
    : formatDuration(ns)
        .replace(/(\.\d*?)0+ /, '$1 ')
        .replace('. ', ' ');
}

/** A duration as short as it can be, two digits that count: "89 ms", "5.2 s", "13 ms". For where there is no room. */
export function briefDuration(ns: number): string {
  if (ns >= 60_000_000_000) return inTwoUnits(ns);
  const unit = UNITS.find((it) => ns >= it.ns * 0.995) ?? { ns: 1, name: 'ns' };
  const value = ns / unit.ns;
  return `${value >= 9.95 ? Math.round(value) : value.toFixed(1)} ${unit.name}`;
}

function inTwoUnits(ns: number): string {
  const seconds = Math.round(ns / 1e9);
  if (seconds < 3600) return paired(seconds, 60, 'min', 's');
  return paired(Math.round(ns / 6e10), 60, 'h', 'min');
}

function paired(count: number, size: number, big: string, small: string): string {
  const rest = count % size;
  return rest === 0 ? `${count / size} ${big}` : `${(count - rest) / size} ${big} ${rest} ${small}`;
}

function significant(value: number): string {
  return value.toFixed(value >= 99.95 ? 0 : value >= 9.995 ? 1 : 2);
}

const NS_OF: Record<string, number> = { h: 3.6e12, min: 6e10, m: 6e10, s: 1e9, ms: 1e6, µs: 1e3, us: 1e3, ns: 1 };

/** Reads "3s", "1.5 s", "250 ms", "2 min"; a bare number is seconds. Undefined when it is no duration. @returns nanoseconds */
export function parseDuration(text: string): number | undefined {
  const match = /^\s*(\d+(?:\.\d+)?)\s*(h|min|m|s|ms|µs|us|ns)?\s*$/i.exec(text);
  return match ? Math.round(Number(match[1]) * NS_OF[match[2]?.toLowerCase() ?? 's']) : undefined;
}

/** A duration as text that reads back to exactly the same: "3s", "44.7ms". @param ns nanoseconds, whole */
export function writeDuration(ns: number): string {
  const [name, size] =
    ns % 1e6 === 0 && ns >= 1e9 ? (['s', 1e9] as const) : ns >= 1e6 ? (['ms', 1e6] as const) : (['ns', 1] as const);
  return `${ns / size}${name}`;
}
