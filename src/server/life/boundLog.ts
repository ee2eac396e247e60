import { chmodSync, copyFileSync, existsSync, statSync, truncateSync } from 'node:fs';

/** A log is moved on when it is longer, in bytes; with the part before it, it takes twice as much at most, and what a minute adds. */
export const LONGEST_LOG = 32 * 1024 * 1024;
const LOOK_EVERY_MS = 60_000;

/**
 * Copies a log that has grown too long to `FILE.1` and empties it. The processes that write it have opened it for appending: they go on at its
 * new end. Lines written between the copy and the cut are lost.
 *
 * @returns whether it was too long
 */
export function boundLog(file: string, longest = LONGEST_LOG): boolean {
  if (!existsSync(file) || statSync(file).size <= longest) return false;
  copyFileSync(file, `${file}.1`);
  chmodSync(`${file}.1`, 0o600);
  truncateSync(file);
  return true;
}

/** Bounds logs for as long as this process runs. */
export function keepLogsBounded(files: readonly string[]): void {
  // Those of an earlier version could be read by others.
  for (const file of files) if (existsSync(file)) chmodSync(file, 0o600);
  setInterval(() => {
    for (const file of files) boundLog(file);
  }, LOOK_EVERY_MS).unref();
}
