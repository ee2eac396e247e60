/*
 * Epoch nanoseconds as two numbers that are both exact, a minute and the nanoseconds in it: spans come by the thousand, and a bigint for
 * each is an object for each.
 */

const PER_MINUTE = 60_000_000_000n;
/** A minute is 2^11 times this many nanoseconds, so that without their lowest 11 bits they are exact in a JS number. */
const PER_MINUTE_SHIFTED = 29_296_875;

/** Minutes since 1970-01-01 in UTC. @param high upper half of the epoch nanoseconds, below 2^31 @param low lower half */
export function minuteOfHalves(high: number, low: number): number {
  return Math.floor(shifted(high, low) / PER_MINUTE_SHIFTED);
}

/** Nanoseconds since that minute began. */
export function nsInMinute(high: number, low: number, minute: number): number {
  return (shifted(high, low) - minute * PER_MINUTE_SHIFTED) * 2048 + (low & 2047);
}

function shifted(high: number, low: number): number {
  return high * 2 ** 21 + (low >>> 11);
}

export function epochNanosOf(minute: number, ns: number): bigint {
  return BigInt(minute) * PER_MINUTE + BigInt(ns);
}

/** The same in decimal, without a bigint in between. */
export function epochNanosText(minute: number, ns: number): string {
  const whole = Math.floor(ns / 1e9);
  const seconds = minute * 60 + whole;
  const rest = String(ns - whole * 1e9);
  return seconds === 0 ? rest : `${seconds}${'000000000'.slice(rest.length)}${rest}`;
}

/** Minute and nanoseconds in it of epoch nanoseconds. */
export function minuteTimeOf(ns: bigint): { minute: number; ns: number } {
  return { minute: Number(ns / PER_MINUTE), ns: Number(ns % PER_MINUTE) };
}
