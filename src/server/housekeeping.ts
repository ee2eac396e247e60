import { runJob, runOnEach } from '../analysis/pool.ts';
import { formatIso } from '../core/time/iso.ts';
import { dropExpired } from '../store/accounts/invitations.ts';
import { forgetDeletedCases } from '../store/casebook/cases.ts';
import { ensureColumns, SLOT_SUBJECTS } from '../store/columns/slots.ts';
import { forgetIntake } from '../store/ingest/intakeFigures.ts';
import { prepareDays, today } from '../store/retention/days.ts';
import { dropOldHours } from '../store/retention/hours.ts';
import { dropOldDays, forgetBodies, type Retention } from '../store/retention/retention.ts';
import { forgetUnusedNames } from '../store/retention/unusedNames.ts';
import { mergeMinutes } from '../store/rollups/mergeMinutes.ts';
import { keepSettling } from './life/settling.ts';
import { errorText } from './requests/errorText.ts';

const ROUND_MS = 60_000;
const GIB = 1024 ** 3;
const DAYS = 7;
/** Rounds between two looks for names that nothing kept rests on. */
const NAMES_EVERY = 60;

/** How long and how much is kept, from the environment. @throws Error naming the variable that is not a positive number */
export function retentionSettings(environment: NodeJS.ProcessEnv = process.env): Retention {
  const positive = (name: string, usual: number) => {
    const text = environment[name];
    if (text === undefined || text === '') return usual;
    const value = Number(text);
    if (!Number.isFinite(value) || value <= 0) throw new Error(`${name} is "${text}", not a number above zero`);
    return value;
  };
  const usual = positive('DUSK_KEEP_DAYS', DAYS);
  return {
    days: {
      traces: positive('DUSK_KEEP_TRACES_DAYS', usual),
      logs: positive('DUSK_KEEP_LOGS_DAYS', usual),
      metrics: positive('DUSK_KEEP_METRICS_DAYS', usual),
      profiles: positive('DUSK_KEEP_PROFILES_DAYS', usual),
    },
    mostBytes: positive('DUSK_KEEP_GIB', 20) * GIB,
  };
}

/**
 * Keeps the store in order, once a minute, until stopped. A round that fails is logged and tried again.
 *
 * @param takeInAgain takes in what an older schema held, and says how many blocks that were
 */
export function keepHouse(retention: Retention, takeInAgain: () => Promise<number>): () => void {
  let round = 0;
  let hasColumns = false;
  let isBusy = false;
  let hasTakenIn = false;
  let isTakingIn = false;
  const takeInWhatIsAside = async () => {
    isTakingIn = true;
    try {
      const blocks = await takeInAgain();
      if (blocks > 0) console.log(`${blocks} blocks of an older schema were taken in again`);
      hasTakenIn = true;
    } catch (failure) {
      console.error(`taking in what an older schema held: ${errorText(failure)}; gone on with in a minute`);
    }
    isTakingIn = false;
  };
  const work = async () => {
    if (isBusy) return;
    isBusy = true;
    try {
      await prepareDays();
      if (!hasTakenIn && !isTakingIn) void takeInWhatIsAside();
      if (!hasColumns) await Promise.all(SLOT_SUBJECTS.map(ensureColumns));
      hasColumns = true;
      // Late arrivals touch other days than the last two; those are looked at now and then.
      const isFull = round++ % 5 === 0;
      await mergeMinutes((day) => isFull || day >= today() - 1);
      for (const { signal, day, records } of await dropOldDays(retention))
        if (records > 0)
          console.log(`dropped ${records} records of ${signal}, day ${new Date(day * 86_400_000).toISOString().slice(0, 10)}`);
      for (const { signal, records, until } of await dropOldHours(retention.mostBytes, BigInt(Date.now()) * 1_000_000n))
        console.log(`dropped ${records} records of ${signal}, of today before ${formatIso(until)}: there was no room`);
      const longest = Math.max(...Object.values(retention.days));
      if (round % NAMES_EVERY === 1) await forgetUnusedNames();
      await forgetDeletedCases();
      await dropExpired();
      await forgetBodies(longest);
      await forgetIntake(Math.floor(Date.now() / 60_000) - longest * 1440, new Date(Date.now() - longest * 86_400_000));
      // The first who asks for the last day need not wait until its hours are summed up. At the start there is one process to ask.
      await (round === 1 ? runJob : runOnEach)('rememberHours', [], { priority: 'background' });
    } catch (failure) {
      console.error(`housekeeping: ${errorText(failure)}; tried again in a minute`);
    }
    isBusy = false;
  };
  void work();
  const timer = setInterval(() => void work(), ROUND_MS);
  const stopSettling = keepSettling();
  return () => {
    clearInterval(timer);
    stopSettling();
  };
}
