/** Suffixes of amounts as cluster tools write them. */
const FACTORS: Readonly<Record<string, number>> = {
  '': 1,
  n: 1e-9,
  u: 1e-6,
  m: 1e-3,
  k: 1e3,
  M: 1e6,
  G: 1e9,
  T: 1e12,
  P: 1e15,
  E: 1e18,
  Ki: 2 ** 10,
  Mi: 2 ** 20,
  Gi: 2 ** 30,
  Ti: 2 ** 40,
  Pi: 2 ** 50,
  Ei: 2 ** 60,
};

/** An amount such as `250m` cores or `320Mi` bytes; undefined when it is none. */
export function quantity(value: unknown): number | undefined {
  if (typeof value === 'number') return Number.isFinite(value) ? value : undefined;
  const match = /^([+-]?\d+(?:\.\d*)?(?:[eE][+-]?\d+)?)([A-Za-z]*)$/.exec(typeof value === 'string' ? value.trim() : '');
  const factor = match ? FACTORS[match[2]] : undefined;
  return match && factor !== undefined ? Number(match[1]) * factor : undefined;
}
