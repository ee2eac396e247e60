import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { MapAnswer } from '../../src/api/map/map.ts';
import type { NowAnswer, NowRow } from '../../src/api/now/now.ts';
import type { Reasons } from '../../src/api/now/reasons.ts';
import type { ServiceOverview } from '../../src/api/services/overview.ts';
import { condition } from '../../src/core/scope/condition.ts';
import { comparisonQuery, type Scope } from '../../src/core/scope/scope.ts';
import type { Installation } from '../support/installation.ts';
import { HELD_LOCKS, installWithHours } from '../support/made/companyHours.ts';
import { getJson } from '../support/sending.ts';

/* What pages say of one scope: whichever of them somebody opens, of the same thing they say the same. */

const MINUTE = 60_000;
/** Services whose pages are asked for, in each scope. */
const MOST_SERVICES = 8;
let dusk: Installation;
beforeAll(async () => {
  dusk = await installWithHours(HELD_LOCKS);
}, 900_000);
afterAll(() => dusk?.stop());

const { begins, ends, from, to } = HELD_LOCKS;
const CALM: Scope['before'] = { type: 'fixed', from, to: begins - 5 * MINUTE };
const lit = (start: number, end: number): Scope => ({ lit: { type: 'fixed', from: start, to: end }, before: CALM, chips: [] });
const SCOPES: readonly (readonly [name: string, scope: Scope])[] = [
  ['while locks are held', lit(begins, ends)],
  ['from within a minute to within another', lit(begins - 3 * MINUTE - 17_400, begins + 11 * MINUTE + 21_300)],
  ['of seconds', lit(begins + 10 * MINUTE + 7_250, begins + 12 * MINUTE + 41_600)],
  ['of all that is there', lit(from, to)],
  ['of a time without data', lit(from - 300 * MINUTE, from - 240 * MINUTE)],
  ['narrowed', { ...lit(begins, ends), chips: [{ ...condition('service', 'is', 'manifests'), on: true }] }],
];

const ask = async <Answer>(path: string, scope: Scope, more: Record<string, string> = {}): Promise<Answer> =>
  getJson(dusk.url, `${path}?${new URLSearchParams({ ...comparisonQuery(scope, 0), ...more })}`);
/** Of pages that hold nothing against it. */
const askAlone = async <Answer>(path: string, scope: Scope, more: Record<string, string> = {}): Promise<Answer> => {
  const { before: _, ...query } = comparisonQuery(scope, 0);
  return getJson(dusk.url, `${path}?${new URLSearchParams({ ...query, ...more })}`);
};
const sum = <Item>(items: readonly Item[], of: (item: Item) => number) => items.reduce((total, it) => total + of(it), 0);
type Figures = Pick<NowRow['lit'], 'calls' | 'failures' | 'p95Ns'>;
const figures = ({ lit: now, before }: { readonly lit: Figures; readonly before: Figures }) => ({
  calls: [now.calls, before.calls],
  failures: [now.failures, before.failures],
  p95Ns: [now.p95Ns, before.p95Ns],
});

describe.each(SCOPES)('of a window %s', (_, scope) => {
  it('requests are as many on the map, over time, in the list and in what stands beside it', async () => {
    const [map, series, overview, list] = await Promise.all([
      ask<MapAnswer>('/api/map', scope),
      askAlone<{ buckets: { count: number }[] }>('/api/requests/series', scope),
      askAlone<{ count: number; failed: number; entries: { count: number }[] }>('/api/traces/overview', scope),
      askAlone<{ total: number }>('/api/traces', scope, { limit: '1' }),
    ]);
    expect(map.lit.requests).toBe(list.total);
    expect(overview.count).toBe(list.total);
    // Over time what is not narrowed is drawn by the minute.
    const isBySeconds = scope.chips.length === 0 && scope.lit.type === 'fixed' && scope.lit.to - scope.lit.from < 5 * MINUTE;
    const drawn = sum(series.buckets, ({ count }) => count);
    if (isBySeconds) expect(drawn).toBeGreaterThanOrEqual(list.total);
    else expect(drawn).toBe(list.total);
  });

  it('a journey has the requests on Now that its entries have in the list, and that its reasons are of', async () => {
    const [now, reasons] = await Promise.all([ask<NowAnswer>('/api/now', scope), ask<Reasons>('/api/now/reasons', scope)]);
    for (const journey of now.journeys) {
      const narrowed = [...scope.chips, { ...condition('entry', 'is', ...journey.entries), on: true }];
      const { total } = await askAlone<{ total: number }>('/api/traces', { ...scope, chips: narrowed }, { limit: '1' });
      expect([journey.name, journey.lit.calls]).toEqual([journey.name, total]);
      const why = reasons.journeys.find(({ name }) => name === journey.name);
      if (why) expect(why.requests.failed).toBe(journey.lit.failures);
      // Where time went is shown for requests that went well.
      if (why) expect(why.requests.lit).toBe(journey.lit.calls - journey.lit.failures);
      if (why) expect(sum(why.failures, ({ count }) => count)).toBeLessThanOrEqual(why.requests.failed);
    }
    expect(now.requests.lit).toBe(sum(now.journeys, (it) => it.lit.calls));
  });

  it('a service is in the same state, with the same figures, on Now, on the map and on its own page', async () => {
    const [now, map] = await Promise.all([
      ask<NowAnswer>('/api/now', scope, { services: 'counted' }),
      ask<MapAnswer>('/api/map', scope),
    ]);
    // The worst come first.
    for (const service of now.services.slice(0, MOST_SERVICES)) {
      const plate = map.nodes.find(({ id }) => id === service.name)!;
      const page = await ask<ServiceOverview>(`/api/services/${service.name}`, scope);
      expect([service.name, plate.state, plate.changed ?? null]).toEqual([service.name, service.state, service.changed ?? null]);
      expect([service.name, page.state, page.changed ?? null]).toEqual([service.name, service.state, service.changed ?? null]);
      expect({ [service.name]: figures(plate) }).toEqual({ [service.name]: figures(service) });
      expect({ [service.name]: figures(page) }).toEqual({ [service.name]: figures(service) });
      for (const parts of [page.instances, page.versions]) {
        expect(sum(parts, (it) => it.lit.calls)).toBe(page.lit.calls);
        expect(sum(parts, (it) => it.lit.failures)).toBe(page.lit.failures);
      }
    }
    expect(map.nodes.filter((it) => it.kind === 'service' && it.lit.calls > 0).map(({ id }) => id)).toEqual(
      expect.arrayContaining(now.services.filter((it) => it.lit.calls > 0).map(({ name }) => name)),
    );
  });
});

it('requests are as many as an export of the same time has, by when each began', async () => {
  const answer = await fetch(`${dusk.url}/api/export/traces`);
  const began = new Map<string, number>();
  for (const line of (await answer.text()).split('\n').filter(Boolean))
    for (const { scopeSpans } of JSON.parse(line).resourceSpans)
      for (const { spans } of scopeSpans)
        for (const { traceId, startTimeUnixNano } of spans) {
          const ms = Number(BigInt(startTimeUnixNano) / 1_000n) / 1_000;
          began.set(traceId, Math.min(began.get(traceId) ?? Number.POSITIVE_INFINITY, ms));
        }
  for (const [, scope] of SCOPES.slice(0, 5)) {
    const { from: first, to: end } = comparisonQuery(scope, 0);
    const within = [...began.values()].filter((ms) => ms >= Date.parse(first) && ms < Date.parse(end));
    expect((await ask<MapAnswer>('/api/map', scope)).lit.requests).toBe(within.length);
  }
});
