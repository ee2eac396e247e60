import { z } from 'zod';
import { RULES } from '../../core/machines/rules.ts';
import { type Column, type Reading, standingOfAll } from '../../core/machines/strata.ts';
import { worstMinute } from '../../core/machines/worstMinute.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { momentMs } from '../parameters.ts';
import { type KnownFleet, knownFleet, type Machine, serviceReading } from './fleetOf.ts';
import { describeReading, illBlocks, readingAnswer } from './layers.ts';

export type MachineHosts = z.output<typeof machineHosts.answer>;

const MINUTE_MS = 60_000;
const MOST_HOSTS = 1_000;

const hostAnswer = z.object({
  name: z.string(),
  kind: z.enum(['host', 'vm']),
  standsOn: z.string(),
  cores: z.number().meta({ description: '0 when not known.' }),
  instances: z.int(),
  services: z.int(),
  slow: z.int().meta({ description: 'Services on it that are slower than usual.' }),
  standing: z.enum(['calm', 'ill', 'unknown']),
  readings: z.array(readingAnswer).meta({ description: 'What is ill first, the furthest beyond its usual range at the top.' }),
});

export const machineHosts = endpoint({
  path: '/api/machines/hosts',
  least: 'reader',
  summary:
    'Hosts and virtual machines at the moment of the lit window at which most is ill, against their usual range; the ill ones first.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, at: momentMs.optional() }),
  answer: z.object({
    litWindow: windowAnswer,
    at: z.number(),
    total: z.int(),
    ill: z.int(),
    hosts: z.array(hostAnswer),
  }),
  run: async ({ at, ...query }) => {
    const windows = await windowsOf(query);
    const known = await knownFleet(windows);
    const minute = minuteOf(known, at);
    const residents = residentsOf(known);
    const all = [...known.machines.values()].map((machine) =>
      describeHost(known, machine, residents.get(machine.name) ?? [], minute),
    );
    const heard = all.filter(({ readings, instances }) => instances > 0 || readings.some(({ value }) => value !== null));
    const sorted = heard.sort(
      (a, b) => rank(a.standing) - rank(b.standing) || b.slow - a.slow || cpuOf(b) - cpuOf(a) || (a.name < b.name ? -1 : 1),
    );
    return {
      litWindow: describeWindow(windows.lit),
      at: (known.firstMinute + minute) * MINUTE_MS,
      total: sorted.length,
      ill: sorted.filter(({ standing }) => standing === 'ill').length,
      hosts: sorted.slice(0, MOST_HOSTS),
    };
  },
});

/** The minute of the lit window that is meant: the one asked for, else the one at which most is ill. */
export function minuteOf(known: KnownFleet, at: number | undefined): number {
  const asked = at === undefined ? undefined : Math.floor(at / MINUTE_MS) - known.firstMinute;
  return asked !== undefined && asked >= 0 && asked < known.minutes ? asked : worstMinute(illBlocks(known), known.minutes);
}

/** The columns that stand on each machine, by their places. */
export function residentsOf({ columns }: KnownFleet): Map<string, number[]> {
  const found = new Map<string, number[]>();
  for (const [at, { vm, host }] of columns.entries())
    for (const name of new Set([vm, host])) if (name !== '') found.set(name, [...(found.get(name) ?? []), at]);
  return found;
}

/** What a machine itself reads at a minute, of all layers that it is. */
export function machineReadings(
  { fleet }: KnownFleet,
  { name, kind }: Pick<Machine, 'name' | 'kind'>,
  minute: number,
): Reading[] {
  const layers = kind === 'vm' ? (['vm'] as const) : (['host', 'disk', 'network'] as const);
  const readings = layers.flatMap((layer) => fleet.readings(layer, name, undefined, minute));
  const beyond = ({ value, usual, standing }: Reading) =>
    standing === 'ill' && usual ? 1 + value / Math.max(usual.high, 1e-9) : 0;
  return [...readings].sort((a, b) => beyond(b) - beyond(a));
}

function describeHost(
  known: KnownFleet,
  machine: Machine,
  residents: readonly number[],
  minute: number,
): z.output<typeof hostAnswer> {
  const readings = machineReadings(known, machine, minute);
  const slow = residents.filter((at) => serviceReading(known, known.calls[at], minute).standing === 'ill');
  const serviceOf = (at: number): Column['service'] => known.columns[at].service;
  return {
    name: machine.name,
    kind: machine.kind,
    standsOn: machine.standsOn,
    cores: machine.cores,
    instances: residents.length,
    services: new Set(residents.map(serviceOf)).size,
    slow: new Set(slow.map(serviceOf)).size,
    standing: standingOfAll(readings),
    readings: readings.filter(({ value }) => !Number.isNaN(value)).map(describeReading),
  };
}

const rank = (it: string) => (it === 'ill' ? 0 : it === 'calm' ? 1 : 2);
const CPU: ReadonlySet<string> = new Set(RULES.filter(({ words }) => words === 'CPU').map(({ id }) => id));
const cpuOf = ({ readings }: z.output<typeof hostAnswer>) => readings.find(({ rule }) => CPU.has(rule))?.value ?? 0;
