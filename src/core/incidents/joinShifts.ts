import type { Shift } from './shifts.ts';

/** A shift and the operation that it is of. */
export interface OperationShift extends Shift {
  readonly operationId: number;
}

/** Shifts that belong together: one incident. */
export interface ShiftGroup {
  readonly shifts: readonly OperationShift[];
  readonly firstMinute: number;
  readonly foundMinute: number;
  readonly lastMinute: number;
}

/** How often two operations take part in the same requests, 0 to 1: of the requests of the rarer one, and of those that have either. */
export interface CoOccurrence {
  readonly ofRarer: number;
  readonly ofEither: number;
}

/** What begins within so many minutes has one cause, even where nobody calls the other: a host that both are on, say. */
const AT_ONCE = 4;
/** So long it takes until trouble is seen by whoever calls; then a fifth of the requests in common is enough. */
const PASSED_ON = 12;
const IN_COMMON = 0.2;
/** Whoever nearly always goes together belongs together at any time, and so does what comes back soon. */
const HAND_IN_HAND = 0.5;
const COMES_BACK = 20;

/**
 * Brings shifts together that overlap in time and whose operations call each other: one trouble is one incident, however many
 * operations show it. Each shift joins the latest incident that it fits; two incidents that already are two stay so, so that one
 * that lasts long does not swallow all that comes after it.
 */
export function joinShifts(
  shifts: readonly OperationShift[],
  coOccurrence: (a: number, b: number) => CoOccurrence,
): ShiftGroup[] {
  const inOrder = [...shifts].sort((a, b) => a.firstMinute - b.firstMinute || a.operationId - b.operationId);
  const groups: { shifts: OperationShift[]; firstMinute: number; foundMinute: number; lastMinute: number }[] = [];
  for (const shift of inOrder) {
    // What an operation shows while it is in trouble already is the same trouble, whatever else began meanwhile.
    const home =
      groups.findLast((group) => group.shifts.some((it) => isSameTrouble(it, shift))) ??
      groups.findLast((group) => belongs(shift, group, coOccurrence));
    if (!home) {
      const { firstMinute, foundMinute, lastMinute } = shift;
      groups.push({ shifts: [shift], firstMinute, foundMinute, lastMinute });
      continue;
    }
    home.shifts.push(shift);
    home.foundMinute = Math.min(home.foundMinute, shift.foundMinute);
    home.lastMinute = Math.max(home.lastMinute, shift.lastMinute);
  }
  return groups.flatMap((group) => withoutStragglers(group, coOccurrence));
}

function isSameTrouble(earlier: OperationShift, later: OperationShift): boolean {
  return earlier.operationId === later.operationId && later.firstMinute <= earlier.lastMinute;
}

/** Of so many shifts at least it can be said when most of them were over, and that so many minutes later is long after. */
const MANY = 6;
const LONG_AFTER = 20;
const MOST = 0.8;

/** What goes on long after most of an incident is over is a matter of its own. */
function withoutStragglers(group: ShiftGroup, coOccurrence: (a: number, b: number) => CoOccurrence): ShiftGroup[] {
  if (group.shifts.length < MANY) return [group];
  const ends = group.shifts.map((it) => it.lastMinute).sort((a, b) => a - b);
  const over = ends[Math.floor(MOST * (ends.length - 1))] + LONG_AFTER;
  const stragglers = group.shifts.filter((it) => it.lastMinute > over);
  if (stragglers.length === 0) return [group];
  const rest = group.shifts.filter((it) => it.lastMinute <= over);
  return [
    {
      shifts: rest,
      firstMinute: Math.min(...rest.map((it) => it.firstMinute)),
      foundMinute: Math.min(...rest.map((it) => it.foundMinute)),
      lastMinute: Math.max(...rest.map((it) => it.lastMinute)),
    },
    ...joinShifts(stragglers, coOccurrence),
  ];
}

function belongs(shift: OperationShift, group: ShiftGroup, coOccurrence: (a: number, b: number) => CoOccurrence): boolean {
  const after = shift.firstMinute - group.firstMinute;
  if (after <= AT_ONCE) return true;
  if (shift.firstMinute > group.lastMinute + COMES_BACK) return false;
  return group.shifts.some((it) => {
    if (shift.firstMinute > it.lastMinute + COMES_BACK) return false;
    if (it.operationId === shift.operationId) return true;
    const { ofRarer, ofEither } = coOccurrence(it.operationId, shift.operationId);
    return ofEither >= HAND_IN_HAND || (after <= PASSED_ON && ofRarer >= IN_COMMON);
  });
}
