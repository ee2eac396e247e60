import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Who uses a data folder. */
export interface Holder {
  readonly pid: number;
  /** When the process began, as the kernel counts: tells it from a later one with the same id. */
  readonly began: string;
  readonly url: string;
}

/**
 * Takes a data folder for this process.
 *
 * @returns the process that has it already, or undefined when it is now ours
 */
export function takeData(dataDir: string, url: string): Holder | undefined {
  const file = join(dataDir, 'running.json');
  const mine: Holder = { pid: process.pid, began: beginOf(process.pid) ?? '', url };
  for (;;) {
    try {
      writeFileSync(file, JSON.stringify(mine), { flag: 'wx' });
      return undefined;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    }
    const holder = readHolder(file);
    if (isThere(holder)) return holder;
    rmSync(file, { force: true });
  }
}

export function giveBackData(dataDir: string): void {
  rmSync(join(dataDir, 'running.json'), { force: true });
}

/** The process that has a data folder now, if any. */
export function holderOf(dataDir: string): Holder | undefined {
  const holder = readHolder(join(dataDir, 'running.json'));
  return isThere(holder) ? holder : undefined;
}

/** Whether the process that a file names still runs; one that names none holds nothing. */
function isThere(holder: Holder | undefined): holder is Holder {
  const began = holder && beginOf(holder.pid);
  return began !== undefined && began === holder?.began;
}

function readHolder(file: string): Holder | undefined {
  try {
    return (JSON.parse(readFileSync(file, 'utf8')) as Holder | null) ?? undefined;
  } catch {
    return undefined;
  }
}

function beginOf(pid: number): string | undefined {
  try {
    // Field 22 of /proc/PID/stat; the second field is the name in parentheses, which may hold spaces.
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}
