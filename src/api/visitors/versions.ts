import { z } from 'zod';
import { faultGroups, type VersionFigures, versionFigures } from '../../core/visits/figures/versionFigures.ts';
import { writtenStack } from '../../store/visits/sourceMaps.ts';
import { endpoint } from '../endpoint.ts';
import { describeVisitors, visitorParameters, visitorsAnswer, visitorsOf } from './visitsOf.ts';

export type VisitorVersions = z.output<typeof visitorVersions.answer>;

const BINS = 48;
const MOST_FAULTS = 60;

const figures = z.object({
  visits: z.int(),
  crashed: z.int(),
  withError: z.int(),
  newUsers: z.int(),
  knownUsers: z.int().meta({ description: 'Visits that say whether the visitor is new.' }),
  startP50: z.number().nullable().meta({ description: 'Milliseconds.' }),
  startP95: z.number().nullable(),
  starts: z.int(),
  overTime: z.array(z.int()),
  crashesOverTime: z.array(z.int()),
});

const counted = z.array(z.tuple([z.string(), z.int()]));

export const visitorVersions = endpoint({
  path: '/api/visitors/versions',
  least: 'reader',
  summary:
    'Versions of an application: visits over time, new visitors, share without a crash, start time; what went wrong by stack and device.',
  runs: 'analysis',
  query: z.strictObject(visitorParameters),
  answer: z.object({
    ...visitorsAnswer,
    versions: z.array(z.object({ version: z.string(), lit: figures.nullable(), before: figures.nullable() })),
    faults: z.array(
      z.object({
        kind: z.string(),
        name: z.string(),
        stack: z.string(),
        times: z.int(),
        before: z.int(),
        visits: z.int(),
        pages: counted,
        versions: counted,
        devices: counted,
        firstMs: z.number(),
        lastMs: z.number(),
        session: z.string(),
      }),
    ),
  }),
  run: async (query) => {
    const visitors = await visitorsOf(query, 'views');
    const { lit, before } = visitors;
    const [now, then] = [versionFigures(lit.slots, lit.scope, BINS), versionFigures(before.slots, before.scope, BINS)];
    const earlier = new Map(
      faultGroups(before.slots, before.scope).map((it) => [`${it.kind}\0${it.name}\0${it.stack}`, it.times]),
    );
    return {
      ...describeVisitors(visitors),
      versions: [...new Set([...now, ...then].map(({ version }) => version))].map((version) => ({
        version,
        lit: describe(now.find((it) => it.version === version)),
        before: describe(then.find((it) => it.version === version)),
      })),
      faults: await Promise.all(
        faultGroups(lit.slots, lit.scope)
          .slice(0, MOST_FAULTS)
          .map(async ({ pages, versions, devices, stack, ...it }) => ({
            ...it,
            stack: await writtenStack(visitors.app, versions[0]?.[0] ?? '', stack),
            before: earlier.get(`${it.kind}\0${it.name}\0${stack}`) ?? 0,
            pages: pages.map(([name, times]): [string, number] => [name, times]),
            versions: versions.map(([name, times]): [string, number] => [name, times]),
            devices: devices.map(([name, times]): [string, number] => [name, times]),
          })),
      ),
    };
  },
});

function describe(it: VersionFigures | undefined): z.output<typeof figures> | null {
  if (!it) return null;
  const { version: _, start, overTime, crashesOverTime, ...rest } = it;
  const known = (value: number) => (Number.isFinite(value) ? value : null);
  return {
    ...rest,
    startP50: known(start.p50),
    startP95: known(start.p95),
    starts: start.starts,
    overTime: [...overTime],
    crashesOverTime: [...crashesOverTime],
  };
}
