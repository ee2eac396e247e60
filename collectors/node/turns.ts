/** Turns that are remembered while a profile is taken; older ones are overwritten. */
export const MOST_TURNS = 1 << 18;

/*
 * When the program turned to which request, in memory that the probe's thread reads: a ring of times and ids, and how many were written.
 */
export interface TurnMemory {
  /** Milliseconds of the process's monotonic clock, as profiles have them. */
  readonly times: Float64Array;
  /** The id of the request, 0 for none. */
  readonly ids: Float64Array;
  /** 0: how many turns were written. 1: whether they are written now. 2: the last sign of life, milliseconds. 3: told to end. 4: has ended. */
  readonly state: Int32Array;
  readonly alive: Float64Array;
}

export interface TurnBuffers {
  readonly turns: SharedArrayBuffer;
  readonly state: SharedArrayBuffer;
}

export function turnBuffers(): TurnBuffers {
  return { turns: new SharedArrayBuffer(16 * MOST_TURNS), state: new SharedArrayBuffer(64) };
}

export function turnMemory({ turns, state }: TurnBuffers): TurnMemory {
  return {
    times: new Float64Array(turns, 0, MOST_TURNS),
    ids: new Float64Array(turns, 8 * MOST_TURNS, MOST_TURNS),
    state: new Int32Array(state, 0, 8),
    alive: new Float64Array(state, 32, 2),
  };
}

export const WRITTEN = 0;
export const RECORDING = 1;
export const ENDING = 3;
export const ENDED = 4;

/** Milliseconds of the monotonic clock. */
export function monotonicMs(): number {
  return Number(process.hrtime.bigint() / 1_000n) / 1_000;
}
