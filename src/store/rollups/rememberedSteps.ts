import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { operationMinute } from '../schema/index.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { memoryOf, rememberedHours } from './rememberedHours.ts';

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
 * remembered until calls are added to them, so that who looks again pays for the last hour only.
 *
 * @param what names what is worked out @param keyId the rollups whose count of calls tells whether an hour is still the same
 * @param first minutes since 1970-01-01 @param end exclusive @param stepMinutes a part of an hour, or hours
 * @param read works out the steps of the minutes from `first` to before `end`
 */
export async function rememberedSteps<T extends Step>(
  what: string,
  keyId: number,
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
    wholeUnits(`${what} ${keyId} ${stepMinutes}`, keyId, firstWhole, endWhole, unit, read),
    endWhole < end ? read(endWhole, end) : [],
  ]);
  return [...before, ...whole.flat(), ...after];
}

async function wholeUnits<T extends Step>(
  what: string,
  keyId: number,
  first: number,
  end: number,
  unit: number,
  read: (first: number, end: number) => Promise<readonly T[]>,
): Promise<readonly (readonly T[])[]> {
  const { rows } = await database().execute(sql`SELECT minute / ${sql.raw(String(unit))} AS unit, sum(calls)::text AS version
    FROM ${operationMinute} WHERE ${daysOfMinutes(first, end)} AND key_id = ${keyId} AND minute >= ${first} AND minute < ${end}
    GROUP BY 1 ORDER BY 1`);
  const units = (rows as unknown as { unit: number; version: string }[]).map(({ unit: hour, version }) => ({ hour, version }));
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
