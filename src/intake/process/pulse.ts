/*
 * Whether a thread still comes to other things: it says so twice a second, in memory that it shares with who looks.
 */

const BEAT_MS = 500;
/** One that has said nothing for so long is stuck. */
const STUCK_S = 10;

export function newPulse(): SharedArrayBuffer {
  const pulse = new SharedArrayBuffer(4);
  beat(pulse);
  return pulse;
}

/** Has this thread say that it is alive, from now on. */
export function keepPulse(pulse: SharedArrayBuffer): void {
  beat(pulse);
  setInterval(() => beat(pulse), BEAT_MS).unref();
}

/** @param now seconds since 1970-01-01 */
export function isStuck(pulse: SharedArrayBuffer, now = seconds()): boolean {
  return now - Atomics.load(new Int32Array(pulse), 0) > STUCK_S;
}

function beat(pulse: SharedArrayBuffer): void {
  Atomics.store(new Int32Array(pulse), 0, seconds());
}

function seconds(): number {
  return Math.floor(Date.now() / 1000);
}
