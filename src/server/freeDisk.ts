import { statfs } from 'node:fs/promises';

/** Bytes that are free where the data lies; null when that is on another machine. */
export async function freeDisk(): Promise<number | null> {
  const folder = process.env.DUSK_DATA_DIR;
  if (!folder) return null;
  const { bavail, bsize } = await statfs(folder);
  return bavail * bsize;
}
