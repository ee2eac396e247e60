import type { Narrowing } from '../../core/requests/matchRows.ts';
import { isOfMinutes } from '../../core/scope/wholeMinutes.ts';

/** Which traces are wanted. All conditions must hold; an absent one does not narrow. */
export interface TraceFilter extends Narrowing {
  /** Of the trace's first start, epoch nanoseconds, from inclusive, to exclusive. */
  readonly from?: bigint;
  readonly to?: bigint;
  /** Whether those are wanted whose clock was years off, which are else left out. */
  readonly clockOutOfRange?: boolean;
}

/**
 * Whether roll-ups can answer for it: nothing narrows it, and what is added up by the minute says what there is in its time. Otherwise the
 * requests that it leaves are read.
 */
export function isInRollups(filter: TraceFilter & { readonly from: bigint; readonly to: bigint }): boolean {
  return !isNarrowed(filter) && isOfMinutes({ from: Number(filter.from) / 1e6, to: Number(filter.to) / 1e6 });
}

/** Whether anything but the time narrows. */
export function isNarrowed({ from: _, to: __, where, ...rest }: TraceFilter): boolean {
  return (where ?? []).length > 0 || Object.values(rest).some((value) => value !== undefined);
}
