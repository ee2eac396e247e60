/** Hours that are remembered, of all that is summed up by them. */
const MOST_HOURS = 1500;

const remembered = new Map<string, { readonly version: string; readonly value: unknown }>();

/**
 * What was worked out of a whole hour, or is now: a day is then read once, however often it is asked for.
 *
 * @param name of what, and which hour
 * @param version of what it is worked out from: when that is another than last time, it is worked out again
 */
export async function rememberedHour<T>(name: string, version: string, work: () => Promise<T>): Promise<T> {
  const known = remembered.get(name);
  const value = known?.version === version ? (known.value as T) : await work();
  // What was asked for last is forgotten last.
  remembered.delete(name);
  remembered.set(name, { version, value });
  for (const oldest of remembered.keys()) {
    if (remembered.size <= MOST_HOURS) break;
    remembered.delete(oldest);
  }
  return value;
}
