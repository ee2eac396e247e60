import type { Attributes } from '../../core/trace/span.ts';
import type { ProfileHead } from '../../formats/otlp/record/profileRecord.ts';
import { markSlots, slotOfMinute, type TouchedSlots, touchSlot } from '../columns/slots.ts';
import { copyOf } from '../database/copyRows.ts';
import { internResources } from '../dictionaries/dictionaries.ts';
import { CLOCK_OUT_OF_RANGE } from '../retention/days.ts';
import { minuteOf } from '../rollups/rollups.ts';
import { recordWriter } from './writeRecords.ts';

/** A profile, and who sent it. */
export interface ReadProfile extends ProfileHead {
  readonly service: string;
  readonly resource: Attributes;
}

/** What the store needs of a profile. */
export interface NamedProfile extends ProfileHead {
  readonly service: string;
  readonly resourceId: number;
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

/** Names the resources of profiles, in the same order. */
export async function nameProfiles(profiles: readonly ReadProfile[]): Promise<NamedProfile[]> {
  const resourceIds = await internResources(profiles.map(({ service, resource }) => ({ service, attributes: resource })));
  return profiles.map(({ resource: _, ...head }, at) => ({ ...head, resourceId: resourceIds[at] }));
}

/** Keeps the profiles of some requests: their blocks, and a row for each. */
export const writeProfiles = recordWriter<NamedProfile>('profiles', async (blocks, client) => {
  const profiles = blocks.flatMap(({ id, day, arrivals }) => arrivals.map(({ head }, place) => ({ head, id, day, place })));
  const rows = profiles.map(({ head, id, day, place }) => [
    day,
    id,
    place,
    head.resourceId,
    head.service,
    head.time,
    head.durationNs,
    head.type,
    head.unit,
    head.samples,
    head.total,
    head.linked,
  ]);
  await markSlots(client, 'profile', slotsOf(profiles));
  return [copyOf('profile', COLUMNS, rows)];
});

/** The slots in which the middles of the profiles lie. */
function slotsOf(profiles: readonly { readonly head: NamedProfile; readonly day: number }[]): TouchedSlots {
  const slots: TouchedSlots = new Map();
  for (const { head, day } of profiles)
    if (day !== CLOCK_OUT_OF_RANGE)
      touchSlot(slots, day, slotOfMinute(minuteOf(head.time + BigInt(Math.floor(head.durationNs / 2)))));
  return slots;
}
