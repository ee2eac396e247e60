import { z } from 'zod';
import { incidentWhere } from '../../core/incidents/incidentWhere.ts';
import { incidentPath, seriesPath, seriesThing, WATCHED_KINDS, type WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { shiftWords } from '../../core/incidents/words.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { allWatched } from '../../store/dictionaries/dictionaries.ts';
import { type IncidentRow, incidentById, incidentsBetween, updateIncident } from '../../store/incidents/incidents.ts';
import { readRules } from '../../store/incidents/rules.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime, wholeNumber } from '../parameters.ts';
import { incidentState, incidentTitle, leadingFirst } from './describe.ts';

const incident = z.object({
  id: z.int(),
  state: z.enum(['open', 'quiet', 'closed']),
  source: z.enum(['shift', 'rule']),
  title: z.string(),
  path: z.string().meta({ description: 'The page on which it is looked at.' }),
  where: z.string().meta({ description: 'The condition that leaves what it is about; empty for none.' }),
  from: z.number().meta({ description: 'When it began, epoch milliseconds.' }),
  fromRange: z
    .tuple([z.number(), z.number()])
    .nullable()
    .meta({ description: 'In which it began 95 times of 100; null when that is not known.' }),
  to: z.number().meta({ description: 'When it was last seen.' }),
  found: z.number(),
  journeys: z.array(z.string()),
  shifts: z.array(
    z.object({
      kind: z.enum(WATCHED_KINDS),
      owner: z.string().meta({ description: 'The service, application, server or host that it is of.' }),
      name: z.string(),
      path: z.string().meta({ description: 'The page on which it is looked at.' }),
      words: z.string(),
      from: z.number(),
      to: z.number(),
    }),
  ),
  acknowledged: z.string().nullable(),
  mutedUntil: z.string().nullable(),
});

export type Incident = z.output<typeof incident>;
export type IncidentList = z.output<typeof incidents.answer>;

/** One incident as it is answered. */
export async function describeIncident(row: NonNullable<Awaited<ReturnType<typeof incidentById>>>): Promise<Incident> {
  return (await describer())(row);
}

async function describer() {
  const [watched, named, rules] = await Promise.all([allWatched(), namedJourneys(), readRules()]);
  return (row: NonNullable<Awaited<ReturnType<typeof incidentById>>>) => describe(row, watched, named, rules);
}

function describe(
  row: NonNullable<Awaited<ReturnType<typeof incidentById>>>,
  watched: readonly WatchedSeries[],
  named: Awaited<ReturnType<typeof namedJourneys>>,
  rules: Awaited<ReturnType<typeof readRules>>,
): Incident {
  const byKey = new Map(watched.map((it) => [it.key, it]));
  const moved = row.shifts.flatMap((shift) => {
    const series = byKey.get(shift.series);
    return series ? [{ shift, series }] : [];
  });
  const names = new Set(moved.map(({ series }) => series.name));
  const minute = Math.floor(Date.now() / 60_000) - 1;
  return {
    id: row.id,
    state: incidentState(row, minute),
    source: row.source,
    title: incidentTitle(row, watched, rules),
    path: incidentPath(leadingFirst(row, watched)),
    where: incidentWhere(row.ruleId, rules, named),
    from: row.firstMinute * 60_000,
    fromRange: beginRange(row),
    to: (row.lastMinute + 1) * 60_000,
    found: (row.foundMinute + 1) * 60_000,
    journeys: journeysOf(named, [])
      .filter((it) => it.entries.some((entry) => names.has(entry)))
      .map((it) => it.name),
    shifts: moved.map(({ shift, series }) => ({
      kind: series.kind,
      owner: series.owner,
      name: seriesThing(series),
      path: seriesPath(series),
      words: shiftWords(shift, series.kind),
      from: shift.firstMinute * 60_000,
      to: (shift.lastMinute + 1) * 60_000,
    })),
    acknowledged: row.acknowledged?.toISOString() ?? null,
    mutedUntil: row.mutedUntil?.toISOString() ?? null,
  };
}

/** The range of the shift by which the incident's beginning is told. */
function beginRange({ firstMinute, shifts }: IncidentRow): [number, number] | null {
  const clearest = shifts
    .filter((it) => it.firstMinute === firstMinute && it.beginsFrom !== undefined)
    .sort((a, b) => b.evidence - a.evidence)[0];
  return clearest ? [clearest.beginsFrom * 60_000, (clearest.beginsTo + 1) * 60_000] : null;
}

export const incidents = endpoint({
  path: '/api/incidents',
  least: 'reader',
  summary: 'Incidents that touch a stretch of time, those seen last first.',
  query: z.strictObject({ from: isoTime, to: isoTime }),
  answer: z.object({ incidents: z.array(incident) }),
  run: async ({ from, to }) => {
    const rows = await incidentsBetween(Number(from / 60_000_000_000n), Number(to / 60_000_000_000n));
    const say = await describer();
    return { incidents: rows.map(say) };
  },
});

export const changeIncident = endpoint({
  method: 'PUT',
  path: '/api/incidents/{id}',
  least: 'responder',
  summary: 'Acknowledges an incident, or mutes it until a time; null takes either back.',
  query: z.strictObject({
    id: wholeNumber(1, 2 ** 31 - 1, 1),
    acknowledged: z.boolean().optional(),
    mutedUntil: z.iso.datetime().nullable().optional(),
  }),
  answer: incident,
  run: async ({ id, acknowledged, mutedUntil }) => {
    if (!(await incidentById(id))) throw new ApiError(404, `No incident ${id} is kept.`);
    await updateIncident(id, {
      ...(acknowledged === undefined ? {} : { acknowledged: acknowledged ? new Date() : null }),
      ...(mutedUntil === undefined ? {} : { mutedUntil: mutedUntil === null ? null : new Date(mutedUntil) }),
    });
    return describeIncident((await incidentById(id))!);
  },
});
