import { getPriority, setPriority } from 'node:os';

/**
 * Lowers the priority of this process, so that others go first where there is not enough of the machine. One that was started with a lower priority
 * keeps it: only root may raise one.
 *
 * @param niceness 0 to 19
 */
export function giveWay(niceness: number): void {
  if (getPriority() < niceness) setPriority(niceness);
}
