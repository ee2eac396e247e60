import { getPriority, setPriority } from 'node:os';

/**
 * Lets other processes go before this one where there is not enough of the machine. One that was started with less right of way already keeps what
 * it has: only root may take more.
 *
 * @param niceness of 0 to 19
 */
export function giveWay(niceness: number): void {
  if (getPriority() < niceness) setPriority(niceness);
}
