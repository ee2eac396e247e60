import type { Shift } from './shifts.ts';
import type { SeriesKey } from './watchedSeries.ts';

/** A shift and the series that it is of. */
export interface SeriesShift extends Shift {
  readonly series: SeriesKey;
}

/** Shifts that belong together: one incident. */
export interface ShiftGroup {
  readonly shifts: readonly SeriesShift[];
  /** When the shift began that shows its beginning the most clearly. */
  readonly firstMinute: number;
  readonly foundMinute: number;
  readonly lastMinute: number;
}

/** How often two series take part in the same requests, 0 to 1: of the requests of the rarer one, and of those that have either. */
export interface CoOccurrence {
  readonly ofRarer: number;
  readonly ofEither: number;
}

/** What begins within so many minutes has one cause, even where nobody calls the other: a host that both are on, say. */
const AT_ONCE = 4;
/** So long it takes until callers show the trouble; then a fifth of the requests in common is enough. */
const PASSED_ON = 12;
const IN_COMMON = 0.2;
/** A beginning that is known less well than this says nothing of what else began then: minutes on either side. */
const UNSURE = 20;
/** A caller that always calls another and got as much worse as that one passes its trouble on, whenever that is seen. */
const ALWAYS = 0.9;
const AS_MUCH = 2.5;
/** Series that nearly always occur together belong together at any time, and so does what comes back soon. */
const HAND_IN_HAND = 0.5;
const COMES_BACK = 20;

/**
 * Groups shifts that overlap in time and whose series have to do with each other: one trouble is one incident, however many series
 * show it. Each shift joins the latest incident that it fits; two incidents that already are two stay so, so that one
 * that lasts long does not swallow all that comes after it.
 */
export function joinShifts(
  shifts: readonly SeriesShift[],
  coOccurrence: (a: SeriesKey, b: SeriesKey) => CoOccurrence,
): ShiftGroup[] {
  const byTime = [...shifts].sort((a, b) => a.firstMinute - b.firstMinute || (a.series < b.series ? -1 : 1));
  // Those of which it is not well known when they began come last: they could draw together what began apart.
  const inOrder = [...byTime.filter(isPrecise), ...byTime.filter((it) => !isPrecise(it))];
  const groups: Group[] = [];
  for (const shift of inOrder) {
    const fitting = groups.filter((group) => belongs(shift, group, coOccurrence));
    // What a series shows while it is in trouble already is the same trouble, whatever else began meanwhile.
    const home =
      groups.findLast((group) => group.shifts.some((it) => isSameTrouble(it, shift))) ??
      (isPrecise(shift) ? fitting.at(-1) : nearest(shift, fitting, coOccurrence));
    if (!home) {
      const { firstMinute, foundMinute, lastMinute } = shift;
      groups.push({ shifts: [shift], firstMinute, foundMinute, lastMinute });
      continue;
    }
    home.shifts.push(shift);
    home.firstMinute = clearest(home.shifts).firstMinute;
    home.foundMinute = Math.min(home.foundMinute, shift.foundMinute);
    home.lastMinute = Math.max(home.lastMinute, shift.lastMinute);
  }
  return groups.sort((a, b) => a.firstMinute - b.firstMinute).flatMap((group) => withoutStragglers(group, coOccurrence));
}

/** Minutes within which a beginning is well known. */
const PRECISE = 8;

function isPrecise({ beginsFrom, beginsTo }: SeriesShift): boolean {
  return beginsTo - beginsFrom <= PRECISE;
}

/** Of several incidents the one whose series take part in the most of a shift's requests; of equals the latest. */
function nearest(
  shift: SeriesShift,
  groups: readonly Group[],
  coOccurrence: (a: SeriesKey, b: SeriesKey) => CoOccurrence,
): Group | undefined {
  const relation = (group: Group) => Math.max(...group.shifts.map((it) => coOccurrence(it.series, shift.series).ofRarer));
  return groups.reduce<Group | undefined>((best, it) => (best && relation(best) > relation(it) ? best : it), undefined);
}

interface Group {
  readonly shifts: SeriesShift[];
  firstMinute: number;
  foundMinute: number;
  lastMinute: number;
}

/** The shift that shows the most clearly when all began: of those that begin with the first, the one with the most evidence. */
export function clearest(shifts: readonly SeriesShift[]): SeriesShift {
  const earliest = Math.min(...shifts.map((it) => it.beginsTo));
  const first = shifts.filter((it) => it.beginsFrom <= earliest + PASSED_ON);
  return first.reduce((most, it) => (it.evidence > most.evidence ? it : most));
}

/** Whether two shifts may have begun at once: their ranges come that near. */
function mayBeginAtOnce(a: SeriesShift, b: SeriesShift): boolean {
  const within = (it: SeriesShift) => [
    Math.max(it.beginsFrom, it.firstMinute - UNSURE),
    Math.min(it.beginsTo, it.firstMinute + UNSURE),
  ];
  const [[fromA, toA], [fromB, toB]] = [within(a), within(b)];
  return fromA - AT_ONCE <= toB && fromB - AT_ONCE <= toA;
}

/** Whether two shifts are as large as each other: in time, or in the share that fails. */
function isAsMuch(a: Shift, b: Shift): boolean {
  if ((a.measure === 'failures') !== (b.measure === 'failures')) return false;
  const ratio = (a.shifted - a.usual) / (b.shifted - b.usual);
  return ratio >= 1 / AS_MUCH && ratio <= AS_MUCH;
}

function isSameTrouble(a: SeriesShift, b: SeriesShift): boolean {
  return a.series === b.series && areNear(a, b, 0);
}

/** Whether two stretches overlap, or so many minutes at most lie between them. */
function areNear(a: Shift, b: Shift, minutes: number): boolean {
  return a.firstMinute <= b.lastMinute + minutes && b.firstMinute <= a.lastMinute + minutes;
}

/** Of so many shifts at least it can be said when most of them were over, and that so many minutes later is long after. */
const MANY = 6;
const LONG_AFTER = 20;
const MOST = 0.8;

/** What goes on long after most of an incident is over is a matter of its own. */
function withoutStragglers(group: ShiftGroup, coOccurrence: (a: SeriesKey, b: SeriesKey) => CoOccurrence): ShiftGroup[] {
  if (group.shifts.length < MANY) return [group];
  const ends = group.shifts.map((it) => it.lastMinute).sort((a, b) => a - b);
  const over = ends[Math.floor(MOST * (ends.length - 1))] + LONG_AFTER;
  const stragglers = group.shifts.filter((it) => it.lastMinute > over);
  if (stragglers.length === 0) return [group];
  const rest = group.shifts.filter((it) => it.lastMinute <= over);
  return [
    {
      shifts: rest,
      firstMinute: clearest(rest).firstMinute,
      foundMinute: Math.min(...rest.map((it) => it.foundMinute)),
      lastMinute: Math.max(...rest.map((it) => it.lastMinute)),
    },
    ...joinShifts(stragglers, coOccurrence),
  ];
}

function belongs(shift: SeriesShift, group: ShiftGroup, coOccurrence: (a: SeriesKey, b: SeriesKey) => CoOccurrence): boolean {
  const first = clearest(group.shifts);
  const after = Math.abs(shift.firstMinute - first.firstMinute);
  if (mayBeginAtOnce(shift, first)) return true;
  return group.shifts.some((it) => {
    if (!areNear(shift, it, COMES_BACK)) return false;
    if (it.series === shift.series) return true;
    const { ofRarer, ofEither } = coOccurrence(it.series, shift.series);
    if (ofEither >= HAND_IN_HAND || (after <= PASSED_ON && ofRarer >= IN_COMMON)) return true;
    return ofRarer >= ALWAYS && isAsMuch(it, shift);
  });
}
