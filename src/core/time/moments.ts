/** The later of two moments, nanoseconds. */
export function later(one: bigint, other: bigint): bigint {
  return one > other ? one : other;
}

/** The earlier of two moments, nanoseconds. */
export function earlier(one: bigint, other: bigint): bigint {
  return one < other ? one : other;
}
