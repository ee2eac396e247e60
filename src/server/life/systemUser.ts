import { readFileSync } from 'node:fs';

/** A user of this machine, by number. */
export interface SystemUser {
  readonly uid: number;
  readonly gid: number;
}

/** The user of a name, as the machine's own list has them; undefined when there is none. */
export function userNamed(wanted: string, list = readFileSync('/etc/passwd', 'utf8')): SystemUser | undefined {
  const entry = list
    .split('\n')
    .map((line) => line.split(':'))
    .filter(({ length }) => length > 3)
    .find(([name]) => name === wanted);
  return entry && { uid: Number(entry[2]), gid: Number(entry[3]) };
}
