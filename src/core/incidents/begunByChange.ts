import { concerns } from '../changes/concerns.ts';
import { clearest, type SeriesShift, type ShiftGroup } from './joinShifts.ts';
import type { SeriesKey } from './watchedSeries.ts';

/** Something that was changed, at a minute since 1970-01-01. */
export interface ChangeAt {
  readonly minute: number;
  readonly service: string;
  readonly kind: string;
  readonly title: string;
}

/**
 * Lets an incident begin with the change that it came with. Calls alone say that it began within a range; where something that is in trouble was changed
 * within that range, the minute of the change is by far the likeliest. Of several changes the one nearest to what the calls say counts, and of a
 * roll-out its first. Shifts whose own range holds that minute begin there, too, so that no two pages tell two beginnings.
 *
 * @param ownerOf the service, application or database that a series belongs to
 * @param changes those that begin something, not those that end it
 */
export function begunByChange(
  group: ShiftGroup,
  changes: readonly ChangeAt[],
  ownerOf: (series: SeriesKey) => string | undefined,
): ShiftGroup {
  const { beginsFrom, beginsTo, firstMinute } = clearest(group.shifts);
  if (firstMinute !== group.firstMinute) return group;
  const owners = [...new Set(group.shifts.map(({ series }) => ownerOf(series) ?? ''))];
  // What came after something of it was found did not begin it.
  const latest = Math.min(beginsTo, group.foundMinute);
  const fitting = changes
    .filter(({ minute }) => minute >= beginsFrom && minute <= latest)
    .map((change) => ({ change, about: concerns(change, owners) }))
    .filter(({ about }) => about !== undefined);
  const off = ({ change }: (typeof fitting)[number]) => Math.abs(change.minute - firstMinute);
  const nearest = fitting.reduce<(typeof fitting)[number] | undefined>(
    (best, it) => (best && off(best) <= off(it) ? best : it),
    undefined,
  );
  if (!nearest) return group;
  const ofSame = fitting.filter(({ change, about }) => about === nearest.about && change.kind === nearest.change.kind);
  const minute = Math.min(...ofSame.map(({ change }) => change.minute));
  const shifts = group.shifts.map(
    (it): SeriesShift => (it.beginsFrom <= minute && minute <= it.beginsTo ? { ...it, firstMinute: minute } : it),
  );
  return { ...group, shifts, firstMinute: minute };
}
