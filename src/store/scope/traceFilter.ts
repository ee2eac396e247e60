import type { Narrowing } from '../../core/requests/matchRows.ts';

/** Which traces are wanted. All conditions must hold; an absent one does not narrow. */
export interface TraceFilter extends Narrowing {
  /** Of the trace's first start, epoch nanoseconds, from inclusive, to exclusive. */
  readonly from?: bigint;
  readonly to?: bigint;
  /** Whether those are wanted whose clock was years off, which are else left out. */
  readonly clockOutOfRange?: boolean;
}

/** Whether anything but the time narrows. */
export function isNarrowed({ from: _, to: __, where, ...rest }: TraceFilter): boolean {
  return (where ?? []).length > 0 || Object.values(rest).some((value) => value !== undefined);
}
