import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** All files of a folder and the folders in it, by name; of a file itself. */
export async function filesIn(path: string): Promise<string[]> {
  if (!(await stat(path)).isDirectory()) return [path];
  const entries = await readdir(path, { withFileTypes: true, recursive: true });
  return entries
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath ?? entry.path, entry.name))
    .sort();
}
