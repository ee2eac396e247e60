import type { Segment } from '../columns/segment.ts';
import { passing, type VisitCondition } from './visitFilter.ts';

/** The visits that began in one stretch of time, with what belongs to them. */
export interface SlotVisits {
  /** Epoch milliseconds that the times of its visits count from. */
  readonly fromMs: number;
  readonly visits: Segment;
  readonly views: Segment;
  readonly faults: Segment;
  readonly parties: Segment;
}

/** Visits of a window that are narrowed alike. */
export interface VisitScope {
  /** Epoch milliseconds, `toMs` exclusive. */
  readonly fromMs: number;
  readonly toMs: number;
  readonly conditions: readonly VisitCondition[];
  /** Visits in which something happened at this moment or later may still go on: they have not left. Epoch milliseconds; none by default. */
  readonly settledBeforeMs?: number;
}

/** Something that happened so short a time ago is not the end of a visit. */
export const UNDER_WAY_MS = 3 * 60_000;

/** A slot with which of its visits fulfil the conditions, whenever they began. */
export interface NarrowedSlot extends SlotVisits {
  readonly passes: Uint8Array;
}

export function narrowed(slots: readonly SlotVisits[], conditions: readonly VisitCondition[]): NarrowedSlot[] {
  return slots.map((it) => ({ ...it, passes: passing(it.visits, conditions) }));
}
