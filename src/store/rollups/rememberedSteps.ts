import { sql } from 'drizzle-orm';
import { SLOT_MINUTES, slotOfMinute } from '../columns/slots.ts';
import { database } from '../database/connection.ts';
import { operationMinute } from '../schema/index.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { memoryOf, rememberedHours, type StoredHour } from './rememberedHours.ts';

/** Says of stretches of `unit` minutes, from `first` to before `end`, whether they are still the same: those that hold something, ascending. */
export type Versions = (first: number, end: number, unit: number) => Promise<readonly StoredHour[]>;

/** What is known of one step, a stretch of whole minutes. */
interface Step {
  /** Start of the step, epoch milliseconds. */
  readonly at: number;
}

const HOUR = 60;
const MINUTE_MS = 60_000;

/** Steps that are remembered, some 100 bytes each; a stretch without any counts as one. */
const MOST_STEPS = 200_000;
const memory = memoryOf<readonly Step[]>(MOST_STEPS, (steps) => steps.length + 1);

/**
 * What is worked out by step over a long time, in order of time: whole hours (whole steps where these are longer) are read once and
 * remembered until something is added to them, so that who looks again pays for the last hour only.
 *
 * @param what names what is worked out @param versions tells whether an hour is still the same
 * @param first minutes since 1970-01-01 @param end exclusive @param stepMinutes a part of an hour, or hours
 * @param read works out the steps of the minutes from `first` to before `end`
 */
export async function rememberedSteps<T extends Step>(
  what: string,
  versions: Versions,
  first: number,
  end: number,
  stepMinutes: number,
  read: (first: number, end: number) => Promise<readonly T[]>,
): Promise<T[]> {
  const unit = HOUR % stepMinutes === 0 ? HOUR : stepMinutes;
  const firstWhole = Math.ceil(first / unit) * unit;
  const endWhole = Math.floor(end / unit) * unit;
  if (endWhole <= firstWhole) return [...(await read(first, end))];
  const [before, whole, after] = await Promise.all([
    first < firstWhole ? read(first, firstWhole) : [],
    wholeUnits(`${what} ${stepMinutes}`, await versions(firstWhole, endWhole, unit), unit, read),
    endWhole < end ? read(endWhole, end) : [],
  ]);
  return [...before, ...whole.flat(), ...after];
}

async function wholeUnits<T extends Step>(
  what: string,
  units: readonly StoredHour[],
  unit: number,
  read: (first: number, end: number) => Promise<readonly T[]>,
): Promise<readonly (readonly T[])[]> {
  const byUnit = async (from: number, to: number) => {
    const found = new Map<number, T[]>();
    for (const step of await read(from * unit, to * unit)) {
      const of = Math.floor(step.at / MINUTE_MS / unit);
      const known = found.get(of);
      if (known) known.push(step);
      else found.set(of, [step]);
    }
    return found as ReadonlyMap<number, readonly T[]>;
  };
  return rememberedHours<readonly T[]>(what, units, byUnit, () => [], memory);
}

/** Rollups of a key are the same while the count of their calls is. */
export function versionsOfCalls(keyId: number): Versions {
  return async (first, end, unit) => {
    const { rows } = await database().execute(sql`SELECT minute / ${sql.raw(String(unit))} AS hour, sum(calls)::text AS version
      FROM ${operationMinute} WHERE ${daysOfMinutes(first, end)} AND key_id = ${keyId} AND minute >= ${first} AND minute < ${end}
      GROUP BY 1 ORDER BY 1`);
    return rows as unknown as StoredHour[];
  };
}

/** Lines are the same while the slots that they lie in are: far fewer rows than their counts by the minute. */
export const versionsOfLines: Versions = async (first, end, unit) => {
  const { rows } = await database().execute(sql`SELECT slot * ${SLOT_MINUTES}::int / ${sql.raw(String(unit))} AS hour,
      concat(sum(changed), ' ', count(*)) AS version
    FROM log_slot WHERE ${daysOfMinutes(first, end)} AND slot >= ${slotOfMinute(first)} AND slot < ${slotOfMinute(end)}
    GROUP BY 1 ORDER BY 1`);
  return rows as unknown as StoredHour[];
};
