import { isMore } from '../verdict/isMore.ts';
import { type Load, longerPhases, ms, PHASE_WORDS } from './words.ts';
import { isLonger } from './worse.ts';

/** What went wrong in visits, the same each time. */
interface Fault {
  readonly kind: string;
  readonly name: string;
  readonly times: number;
  /** Times before. */
  readonly before: number;
  /** Visits in which it happened. */
  readonly visits: number;
  readonly versions: readonly (readonly [string, number])[];
  readonly devices: readonly (readonly [string, number])[];
}

/** What visitors of an application wait for, as a hypothesis: where their loads became longer; empty when they did not. */
export function slowLead(app: string, { lit, before }: { readonly lit: Load; readonly before: Load }): string {
  if (!isLonger(lit.ready.p75, before.ready.p75)) return '';
  const [most] = longerPhases(lit.band, before.band);
  const what =
    most.phase === 'third' && lit.band.party !== '' ? `for a script of ${lit.band.party}` : PHASE_WORDS[most.phase].where;
  return `Pages of ${app} wait ${ms(most.ms)} more ${what}: a load of ${ms(lit.band.readyMs)}, ${ms(before.band.readyMs)} before`;
}

/**
 * What goes wrong in an application more often than before, beyond chance, as a hypothesis: what, how often, and whether one version and one device
 * have all of it; empty for nothing.
 *
 * @param faults most frequent first @param visits of both windows
 */
export function faultLead(
  app: string,
  faults: readonly Fault[],
  visits: { readonly lit: number; readonly before: number },
): string {
  const fault = faults.find((it) => isMore(it.visits, visits.lit, Math.min(it.before, visits.before), visits.before));
  if (!fault) return '';
  const only = [onlyOne('version', fault.versions, fault.times), onlyOne('device', fault.devices, fault.times)].filter(Boolean);
  const before = fault.before === 0 ? 'never before' : `${fault.before} × before`;
  return `${app}: ${fault.kind} “${fault.name}”, ${fault.times} × in ${fault.visits} visits, ${[before, ...only].join(', ')}`;
}

/** Visits that do not say what they are of, as far as they are few, speak neither for nor against it. */
const KNOWN_OF = 0.8;

function onlyOne(what: string, counted: readonly (readonly [string, number])[], times: number): string {
  const [most, ...others] = counted.filter(([name]) => name !== '');
  return most && others.length === 0 && most[1] >= KNOWN_OF * times ? `only ${what} ${most[0]}` : '';
}
