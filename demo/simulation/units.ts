/** Simulated time is in nanoseconds. */
export const MS = 1_000_000;
export const SECOND = 1000 * MS;
export const MINUTE = 60 * SECOND;
export const HOUR = 60 * MINUTE;
export const MIB = 1024 * 1024;
