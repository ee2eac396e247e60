import type { Attributes } from '../../core/trace/span.ts';
import type { ProfileHead } from '../../formats/otlp/record/profileRecord.ts';
import { copyOf } from '../database/copyRows.ts';
import { internResources } from '../dictionaries/dictionaries.ts';
import { recordWriter } from './writeRecords.ts';

/** What the store needs of a profile. */
export interface ReadProfile extends ProfileHead {
  readonly service: string;
  readonly resource: Attributes;
}

const COLUMNS = [
  'day',
  'block_id',
  'place',
  'resource_id',
  'service',
  'time_ns',
  'duration_ns',
  'type',
  'unit',
  'samples',
  'total',
  'linked',
];

/** Keeps the profiles of some requests: their blocks, and a row for each. */
export const writeProfiles = recordWriter<ReadProfile>('profiles', async (blocks) => {
  const profiles = blocks.flatMap(({ id, day, arrivals }) => arrivals.map(({ head }, place) => ({ head, id, day, place })));
  const resourceIds = await internResources(
    profiles.map(({ head: { service, resource } }) => ({ service, attributes: resource })),
  );
  const rows = profiles.map(({ head, id, day, place }, at) => [
    day,
    id,
    place,
    resourceIds[at],
    head.service,
    head.time,
    head.durationNs,
    head.type,
    head.unit,
    head.samples,
    head.total,
    head.linked,
  ]);
  return [copyOf('profile', COLUMNS, rows)];
});
