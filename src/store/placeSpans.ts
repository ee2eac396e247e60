import { instanceOf } from '../core/trace/instance.ts';
import type { Attributes } from '../core/trace/span.ts';
import { internCalls, internInstances, internOperations } from './dictionaries.ts';
import { type FacetColumns, facetIds } from './facets.ts';
import type { SpanColumns, SpanOrigin } from './spanColumns.ts';

/** Spans with what they are called in the dictionaries. */
export interface PlacedSpans {
  readonly columns: SpanColumns;
  /** By the place of the operation in the columns, of the call, of the origin. */
  readonly operationIds: readonly number[];
  readonly callIds: readonly number[];
  readonly instanceIds: readonly number[];
  readonly facets: FacetColumns;
}

export async function placeSpans(columns: SpanColumns): Promise<PlacedSpans> {
  const { operations, calls, origins, records } = columns;
  return {
    columns,
    operationIds: await internOperations(operations),
    callIds: await internCalls(calls),
    instanceIds: await instanceIds(origins),
    facets: await facetIds(
      records,
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
