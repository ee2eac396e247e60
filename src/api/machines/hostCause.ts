import { z } from 'zod';
import type { Cell } from '../../core/machines/strata.ts';
import { type MeanProcess, meanProcesses } from '../../store/machines/processes.ts';
import type { Window } from '../comparison.ts';
import type { KnownFleet } from './fleetOf.ts';

export const causeAnswer = z.object({
  name: z.string().meta({ description: 'The process that takes most more than before.' }),
  job: z.string(),
  container: z.string(),
  cores: z.number(),
  before: z.number(),
  of: z.number().meta({ description: 'Cores of the machine; 0 when not known.' }),
});

/** Cores more than before that are worth naming. */
const LEAST_CORES = 0.2;

/** The process that takes most more of a machine than before; null when no process does, or none is known. */
export async function causeOf(
  { layer, name }: Cell,
  { machines }: KnownFleet,
  between: { from: number; to: number },
  before: Window,
): Promise<z.output<typeof causeAnswer> | null> {
  if (layer === 'service' || layer === 'process' || layer === 'container') return null;
  const compared = await comparedProcesses(name, BigInt(between.from) * 1_000_000n, BigInt(between.to) * 1_000_000n, before);
  const [most] = compared.sort((a, b) => b.lit.cores - b.before - (a.lit.cores - a.before));
  if (!most || most.lit.cores - most.before < LEAST_CORES) return null;
  return {
    name: most.lit.name,
    job: most.lit.job,
    container: most.lit.container,
    cores: most.lit.cores,
    before: most.before,
    of: machines.get(name)?.cores ?? 0,
  };
}

/** The processes of a machine in a stretch of time, each with the cores that it took in the reference. */
export async function comparedProcesses(
  host: string,
  from: bigint,
  to: bigint,
  before: Window,
): Promise<{ lit: MeanProcess; before: number }[]> {
  const [now, then] = await Promise.all([meanProcesses(host, from, to), meanProcesses(host, before.from, before.to)]);
  const key = ({ name, container, job }: MeanProcess) => `${name}\0${container}\0${job}`;
  const former = new Map(then.map((it) => [key(it), it.cores]));
  return now.map((lit) => ({ lit, before: former.get(key(lit)) ?? 0 }));
}
