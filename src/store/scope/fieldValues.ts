import { eq, sql } from 'drizzle-orm';
import { OTHER_VALUE } from '../../formats/otlp/attributes/facets.ts';
import { database } from '../database/connection.ts';
import { MOST_VALUES } from '../dictionaries/facets.ts';
import { facet, trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** A field by which requests can be narrowed, with its values among some requests, the most frequent first. */
export interface FieldValues {
  readonly field: string;
  readonly values: readonly { readonly value: string; readonly count: number }[];
  /** How many different values there are among them. */
  readonly distinct: number;
  /** Whether its values are too many for all to be noted. */
  readonly many: boolean;
}

/** Requests that are looked at, at most, the latest. */
const MOST_TRACES = 20_000;
const VALUES_SHOWN = 6;

/** The attributes of the requests that a filter leaves. @returns `traces`: how many requests were looked at */
export async function fieldValues(filter: TraceFilter): Promise<{ traces: number; fields: FieldValues[] }> {
  const condition = await traceCondition(filter);
  const picked = sql`(SELECT ${trace.facetIds} AS ids FROM ${trace} WHERE ${condition} ORDER BY ${trace.startNs} DESC LIMIT ${MOST_TRACES}) AS picked`;
  const [counted, noted, [{ traces }]] = await Promise.all([
    database().execute(sql`SELECT facet.key AS field, facet.value AS value, part.count FROM
      (SELECT id, count(*)::int AS count FROM ${picked}, unnest(picked.ids) AS id GROUP BY id) AS part JOIN facet ON facet.id = part.id AND facet.value <> ${OTHER_VALUE}
      ORDER BY facet.key, part.count DESC, facet.value`),
    database().select({ key: facet.key, count: sql<number>`count(*)::int` }).from(facet).groupBy(facet.key),
    database()
      .execute(sql`SELECT count(*)::int AS traces FROM ${picked}`)
      .then(({ rows }) => rows as unknown as { traces: number }[]),
  ]);
  const all = new Map(noted.map((row) => [row.key, row.count]));
  const byField = new Map<string, { value: string; count: number }[]>();
  for (const { field, value, count } of counted.rows as unknown as { field: string; value: string; count: number }[]) {
    const values = byField.get(field);
    if (values) values.push({ value, count });
    else byField.set(field, [{ value, count }]);
  }
  return {
    traces,
    fields: [...byField]
      .map(([field, values]) => ({
        field,
        values: values.slice(0, VALUES_SHOWN),
        distinct: values.length,
        many: (all.get(field) ?? 0) >= MOST_VALUES,
      }))
      // What tells requests apart in few words first; what all have alike last.
      .sort((a, b) => rank(a) - rank(b)),
  };
}

function rank({ distinct, many }: FieldValues): number {
  return many ? 2 : distinct === 1 ? 3 : distinct <= 20 ? 0 : 1;
}

/** All values that were noted of one attribute, by name. */
export async function valuesOf(key: string): Promise<string[]> {
  const rows = await database().select({ value: facet.value }).from(facet).where(eq(facet.key, key)).orderBy(facet.value);
  return rows.map((row) => row.value).filter((value) => value !== OTHER_VALUE);
}
