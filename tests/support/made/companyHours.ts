import type { Harmless } from '../../../demo/incidents/harmless.ts';
import { INCIDENTS } from '../../../demo/incidents/known.ts';
import { Run } from '../../../demo/run.ts';
import { type Parcel, Parcels } from '../../../demo/sending/parcels.ts';
import { sendOtlp } from '../../../src/formats/otlp/wire/send.ts';
import { type Installation, installHolding } from '../installation.ts';

const MINUTE = 60_000;

/** A short stretch of the demo's company. */
export interface CompanyHours {
  /** Epoch milliseconds. */
  readonly from: number;
  readonly to: number;
  /** Which of the known incidents is in it, and when it begins and ends. */
  readonly incident: string;
  readonly begins: number;
  readonly ends: number;
  /** By which requests are drawn, their ids too: another one for each that is sent to the same place. */
  readonly seed?: number;
  /** So many times the traffic of the demo. */
  readonly scale?: number;
  /** The only kinds of telemetry that are sent; all by default. */
  readonly signals?: readonly Parcel['signal'][];
  /** A version that is rolled out a few minutes before, and harms nobody. */
  readonly decoy?: { readonly service: string; readonly version: string };
}

/** An installation that holds these stretches. */
export function installWithHours(...stretches: readonly CompanyHours[]): Promise<Installation> {
  return installHolding(stretches.map(({ incident }) => incident).join('+'), async (url) => {
    for (const it of stretches) await sendCompanyHours(url, it);
  });
}

/** Simulates a stretch with one incident, and sends the telemetry of it. */
async function sendCompanyHours(
  url: string,
  { from, to, incident, begins, ends, decoy, signals, seed = 5, scale = 1 }: CompanyHours,
): Promise<void> {
  const it = INCIDENTS.find(({ id }) => id === incident)!;
  const moved = { ...it, begins: (to - begins) / MINUTE, ends: (to - ends) / MINUTE };
  const harmless: Harmless[] = decoy
    ? [
        {
          begins: moved.begins + 4,
          ends: moved.begins - 6,
          *unfold(unfolding) {
            yield* unfolding.rollOut(decoy.service, decoy.version, 2);
          },
        },
      ]
    : [];
  const parcels: Parcel[] = [];
  const output = new Parcels((parcel) => parcels.push(parcel));
  const run = new Run({ endMs: to, fromMs: from, untilMs: to, seed, scale, incidents: [moved], harmless }, output);
  run.advance(to);
  output.flush();
  for (const { signal, body } of parcels) if (signals?.includes(signal) ?? true) await sendOtlp(url, signal, body);
}

/** Of the demo's traffic, where that is enough to tell what is wrong: less is sooner sent. */
const QUIETER = 0.6;

/** The host is busy by itself for the last twenty minutes. */
const BUSY_TO = Date.parse('2026-05-02T15:05:00Z');
export const BUSY_HOST: CompanyHours = {
  incident: 'quay-3-backup',
  from: BUSY_TO - 75 * MINUTE,
  begins: BUSY_TO - 25 * MINUTE,
  ends: BUSY_TO - 4 * MINUTE,
  to: BUSY_TO,
};

/** Pods are killed for memory, again and again. */
const KILLED_TO = BUSY_TO + 240 * MINUTE;
export const KILLED_PODS: CompanyHours = {
  incident: 'notices-memory',
  from: KILLED_TO - 60 * MINUTE,
  begins: KILLED_TO - 40 * MINUTE,
  ends: KILLED_TO + 5 * MINUTE,
  to: KILLED_TO,
  scale: QUIETER,
  seed: 6,
};

/** The booking site waits for a script of others for half an hour. */
const SCRIPT_TO = BUSY_TO + 480 * MINUTE;
export const BLOCKED_PAGES: CompanyHours = {
  incident: 'web-script',
  from: SCRIPT_TO - 60 * MINUTE,
  begins: SCRIPT_TO - 30 * MINUTE,
  ends: SCRIPT_TO - 2 * MINUTE,
  to: SCRIPT_TO,
  scale: QUIETER,
};

/** A job holds rows locked while it waits for a person: changes of bookings hang behind it. */
const LOCKS_TO = BUSY_TO + 720 * MINUTE;
export const HELD_LOCKS: CompanyHours = {
  incident: 'season-locks',
  from: LOCKS_TO - 75 * MINUTE,
  begins: LOCKS_TO - 35 * MINUTE,
  ends: LOCKS_TO - 5 * MINUTE,
  to: LOCKS_TO,
  scale: QUIETER,
};

const CAUSES_FROM = BUSY_TO + 900 * MINUTE;
/** The spans of some calm, then of an incident whose cause is an attribute of them. */
function causeAt(hours: number, incident: string, decoy?: CompanyHours['decoy']): CompanyHours {
  const from = CAUSES_FROM + hours * 60 * MINUTE;
  const begins = from + 30 * MINUTE;
  return {
    incident,
    from,
    begins,
    ends: begins + 25 * MINUTE,
    to: begins + 25 * MINUTE,
    decoy,
    signals: ['traces'],
    seed: 100 + hours,
    scale: QUIETER,
  };
}
/** Coaches are few: what slows them must be told from twenty minutes. */
export const SLOW_LAYOUT: CompanyHours = { ...causeAt(0, 'berths-n2', { service: 'fares', version: '2.14.0' }), scale: 2 };
export const REFUSED_KEY = causeAt(3, 'met-relay-key');
export const LOST_INDEX = causeAt(6, 'sailing-index');
export const LIMITED_CALLER = causeAt(9, 'fares-limit');

const iso = (ms: number) => new Date(ms).toISOString();

/** The incident's time against the calm minutes before it, as parameters. */
export function windowOf({ from, begins, to }: CompanyHours, calmUntil = begins): string {
  return `from=${iso(begins - 5 * MINUTE)}&to=${iso(to)}&before=${iso(from)}/${iso(calmUntil - 5 * MINUTE)}`;
}
