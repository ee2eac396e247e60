import { instanceOf } from '../../core/trace/instance.ts';
import type { Attributes } from '../../core/trace/span.ts';
import { internCalls, internInstances, internOperations } from '../dictionaries/dictionaries.ts';
import { askFacets } from '../dictionaries/facets.ts';
import type { SpanColumns, SpanOrigin } from './spanColumns.ts';

/** Spans with what they are called in the dictionaries. */
export interface AssignedSpans {
  readonly columns: SpanColumns;
  /** By the place of the operation in the columns, of the call, of the origin. */
  readonly operationIds: readonly number[];
  readonly callIds: readonly number[];
  readonly instanceIds: readonly number[];
  /** By the place of the origin, the facets of its resource; those of attributes are noted in these. */
  readonly resourceFacetIds: readonly (readonly number[])[];
}

export async function assignDays(columns: SpanColumns): Promise<AssignedSpans> {
  const { operations, calls, origins, attributes, attributesEnd, count } = columns;
  return {
    columns,
    operationIds: await internOperations(operations),
    callIds: await internCalls(calls),
    instanceIds: await instanceIds(origins),
    resourceFacetIds: await askFacets(
      attributes,
      count === 0 ? 0 : attributesEnd[count - 1],
      origins.map(({ group }) => group.resource),
    ),
  };
}

async function instanceIds(origins: readonly SpanOrigin[]): Promise<number[]> {
  const services = new Map<Attributes, string>();
  for (const { resource, service } of origins) services.set(resource, service);
  const ids = await internInstances([...services].map(([resource, service]) => instanceOf(resource, service)));
  const idOf = new Map([...services.keys()].map((resource, at) => [resource, ids[at]]));
  return origins.map(({ resource }) => idOf.get(resource)!);
}
