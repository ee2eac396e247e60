import { z } from 'zod';
import type { Cell, Reading } from '../../core/machines/strata.ts';
import { TAKEN, takerOf } from '../../core/machines/takers.ts';
import { type MeanProcess, meanProcesses } from '../../store/machines/processes.ts';
import type { Window } from '../comparison.ts';
import type { KnownFleet } from './fleetOf.ts';

export const causeAnswer = z.object({
  name: z.string().meta({ description: 'The process that takes most more than before of what is short.' }),
  job: z.string(),
  container: z.string(),
  takes: z.enum(TAKEN).meta({ description: 'What is short: cores, bytes of its disk in a second, bytes of memory.' }),
  amount: z.number(),
  before: z.number(),
  of: z.number().meta({ description: 'What the machine has; 0 when not known, and for its disk.' }),
});

/** The process that takes most more than before of what is short on a machine; null when no process does, or none is known. */
export async function causeOf(
  { layer, name, readings: [worst] }: Cell,
  known: KnownFleet,
  between: { from: number; to: number },
  before: Window,
): Promise<z.output<typeof causeAnswer> | null> {
  if (layer === 'service' || layer === 'process' || layer === 'container') return null;
  const [from, to] = [BigInt(between.from) * 1_000_000n, BigInt(between.to) * 1_000_000n];
  return describeCause(name, known, worst, await comparedProcesses(name, from, to, before));
}

/** @param worst what is ill about the machine */
export function describeCause(
  name: string,
  { machines }: KnownFleet,
  worst: Reading | undefined,
  processes: readonly ComparedProcess[],
): z.output<typeof causeAnswer> | null {
  const taker = takerOf(processes, worst?.standing === 'ill' ? worst.rule : undefined);
  if (!taker) return null;
  const { process, taken, amount, before } = taker;
  const machine = machines.get(name);
  const of = taken === 'cores' ? machine?.cores : taken === 'memory' ? machine?.memory : 0;
  return { name: process.name, job: process.job, container: process.container, takes: taken, amount, before, of: of ?? 0 };
}

export interface ComparedProcess {
  readonly lit: MeanProcess;
  /** What it took in the reference; undefined when it was not there. */
  readonly before: MeanProcess | undefined;
}

/** The processes of a machine in a stretch of time, each with what it took in the reference. */
export async function comparedProcesses(host: string, from: bigint, to: bigint, before: Window): Promise<ComparedProcess[]> {
  const [now, then] = await Promise.all([meanProcesses(host, from, to), meanProcesses(host, before.from, before.to)]);
  const key = ({ name, container, job }: MeanProcess) => `${name}\0${container}\0${job}`;
  const former = new Map(then.map((it) => [key(it), it]));
  return now.map((lit) => ({ lit, before: former.get(key(lit)) }));
}
