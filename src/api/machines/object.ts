import { z } from 'zod';
import { idByUid } from '../../core/machines/pods/podUids.ts';
import { type SpecificationLine, specificationDiff } from '../../core/machines/specificationDiff.ts';
import {
  type InventoryObject,
  objectEvents,
  objectsAround,
  objectsAt,
  objectsById,
  objectsNamed,
  specificationsOf,
} from '../../store/machines/objects.ts';
import { calleesByService } from '../../store/rollups/traffic.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { boundedMeasures } from './boundedMeasures.ts';

export type MachineObject = z.output<typeof machineObject.answer>;
export type MachineObjects = z.output<typeof machineObjects.answer>;

const MOST_EVENTS = 60;
const MOST_AROUND = 12;
const MOST_LINES = 400;

const relation = z.object({
  id: z.string().meta({ description: 'Empty for a service.' }),
  kind: z.string(),
  name: z.string(),
  ready: z.boolean().nullable(),
});

export const machineObject = endpoint({
  path: '/api/machines/objects/{id}',
  least: 'reader',
  summary:
    'One object of the inventory: its specification and what changed in it since when, what happened to it, and the objects around it.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, id: z.string().max(500) }),
  answer: z.object({
    litWindow: windowAnswer,
    id: z.string(),
    kind: z.string(),
    name: z.string(),
    at: z.number().meta({ description: 'When it was reported last, epoch milliseconds.' }),
    service: z.string().meta({ description: 'The service that it belongs to; empty for none.' }),
    detail: z.array(z.object({ name: z.string(), value: z.string() })),
    labels: z.record(z.string(), z.string()),
    specification: z.array(z.object({ text: z.string(), was: z.string().nullable().optional() })),
    gone: z.array(z.string()).meta({ description: 'Lines that the specification before had.' }),
    changedAt: z.number().nullable().meta({ description: 'Since when it is so; null when it never changed.' }),
    events: z.array(z.object({ at: z.number(), reason: z.string(), message: z.string(), trouble: z.boolean(), count: z.int() })),
    moreEvents: z.int(),
    belongsTo: z.array(relation),
    standsOn: z.array(relation),
    given: z.array(relation),
    worksWith: z.array(relation),
    kin: z.array(relation),
    has: z.array(relation).meta({ description: 'What belongs to it, or stands on it.' }),
    memory: z
      .object({ over: z.array(z.number().nullable()), limit: z.number().nullable(), request: z.number().nullable() })
      .nullable(),
  }),
  run: async ({ id: asked, ...query }) => {
    const { lit } = await windowsOf(query);
    const own = (await objectsById(lit.to, [asked]))[0] ?? (await podNamed(asked, lit.to));
    if (!own) throw new ApiError(404, `No object ${asked.slice(0, 100)} was reported up to the end of this window.`);
    const { id } = own;
    const [specifications, events, around, chain, ground, given, callees] = await Promise.all([
      specificationsOf(id, lit.to),
      objectEvents(lit.from, lit.to, { ids: [id, ...idByUid(own.detail)] }),
      objectsAround(lit.to, [id]),
      upward(own, lit.to, ({ partOf }) => partOf),
      upward(own, lit.to, ({ standsOn }) => standsOn),
      objectsById(lit.to, own.uses),
      calleesByService(),
    ]);
    const service = own.labels.app ?? chain.find(({ kind }) => kind === 'deployment')?.name ?? '';
    const kin = own.partOf
      ? (await objectsAround(lit.to, [own.partOf])).filter((it) => it.id !== id && it.kind === own.kind)
      : [];
    const [now, former] = specifications;
    const { lines, gone } = specificationDiff(now?.specification ?? '', former?.specification);
    const measures = own.kind === 'pod' ? await boundedMeasures(lit.from, lit.to, ['memory']) : undefined;
    const memory = measures?.series('container', own.name, 'memory');
    const others = new Set([
      ...(callees.get(service) ?? []),
      ...[...callees].flatMap(([from, to]) => (to.has(service) ? [from] : [])),
    ]);
    others.delete(service);
    return {
      litWindow: describeWindow(lit),
      id,
      kind: own.kind,
      name: own.name,
      at: own.at,
      service,
      detail: Object.entries(own.detail).map(([name, value]) => ({
        name,
        value: typeof value === 'object' ? JSON.stringify(value).slice(0, 500) : String(value),
      })),
      labels: own.labels,
      specification: lines
        .slice(0, MOST_LINES)
        .map(({ text, was }: SpecificationLine) => ({ text, ...(was === undefined ? {} : { was }) })),
      gone: gone.slice(0, MOST_LINES),
      changedAt: former ? now.at : null,
      events: events
        .slice(0, MOST_EVENTS)
        .map(({ at, reason, message, trouble, count }) => ({ at, reason, message, trouble, count })),
      moreEvents: Math.max(0, events.length - MOST_EVENTS),
      belongsTo: chain.map(related),
      standsOn: ground.map(related),
      given: given.slice(0, MOST_AROUND).map(related),
      worksWith: [...others].slice(0, MOST_AROUND).map((name) => ({ id: '', kind: 'service', name, ready: null })),
      kin: kin.slice(0, MOST_AROUND).map(related),
      has: around.slice(0, MOST_AROUND).map(related),
      memory: memory
        ? {
            over: Array.from(memory, (value) => (Number.isNaN(value) ? null : value)),
            limit: Number(own.detail['memory.limit']) || null,
            request: Number(own.detail['memory.request']) || null,
          }
        : null,
    };
  },
});

/** Who knows only the name of a pod does not know its namespace. */
async function podNamed(id: string, moment: bigint): Promise<InventoryObject | undefined> {
  const name = /^pod (.+)$/.exec(id)?.[1];
  return name === undefined ? undefined : (await objectsNamed(moment, 'pod', name))[0];
}

/** Objects that are listed of one kind. */
const MOST_LISTED = 1_000;

export const machineObjects = endpoint({
  path: '/api/machines/objects',
  least: 'reader',
  summary: 'All objects of a kind at the end of the lit window, with the fields of the kind as columns.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, kind: z.string().max(200) }),
  answer: z.object({
    kind: z.string(),
    total: z.int(),
    fields: z.array(z.string()).meta({ description: 'All fields that any of them has.' }),
    columns: z.array(z.string()).meta({ description: 'Those that the definition of the kind names; else the most common.' }),
    objects: z.array(
      z.object({
        id: z.string(),
        name: z.string(),
        partOf: z.string(),
        standsOn: z.string(),
        at: z.number(),
        fields: z.record(z.string(), z.string()),
      }),
    ),
  }),
  run: async ({ kind, ...query }) => {
    const { lit } = await windowsOf(query);
    const [objects, [definition]] = await Promise.all([objectsAt(lit.to, [kind]), objectsById(lit.to, [`kind ${kind}`])]);
    const counts = new Map<string, number>();
    for (const { detail } of objects) for (const name of Object.keys(detail)) counts.set(name, (counts.get(name) ?? 0) + 1);
    const fields = [...counts].sort(([, a], [, b]) => b - a).map(([name]) => name);
    const named = Array.isArray(definition?.detail.columns) ? definition.detail.columns.map(String) : [];
    return {
      kind,
      total: objects.length,
      fields: fields.slice(0, 60),
      columns: named.length > 0 ? named : fields.slice(0, 4),
      objects: objects.slice(0, MOST_LISTED).map(({ id, name, partOf, standsOn, at, detail }) => ({
        id,
        name,
        partOf,
        standsOn,
        at,
        fields: Object.fromEntries(
          Object.entries(detail).map(([field, value]) => [
            field,
            typeof value === 'object' ? JSON.stringify(value).slice(0, 300) : String(value),
          ]),
        ),
      })),
    };
  },
});

/** What an object belongs to or stands on, and what that does, and so on. */
async function upward(own: InventoryObject, moment: bigint, next: (it: InventoryObject) => string): Promise<InventoryObject[]> {
  const found: InventoryObject[] = [];
  const seen = new Set([own.id]);
  for (let id = next(own); id !== '' && !seen.has(id) && found.length < 6; ) {
    seen.add(id);
    const [parent] = await objectsById(moment, [id]);
    if (!parent) break;
    found.push(parent);
    id = next(parent);
  }
  return found;
}

function related({ id, kind, name, detail }: InventoryObject): z.output<typeof relation> {
  return { id, kind, name, ready: typeof detail.ready === 'boolean' ? detail.ready : null };
}
