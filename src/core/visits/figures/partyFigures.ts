import { codesOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { ValueCounts } from './valueCounts.ts';

/** What a third party cost the views of a window. */
export interface PartyFigures {
  readonly party: string;
  /** Views that asked it for something. */
  readonly views: number;
  readonly requests: number;
  readonly failed: number;
  readonly bytes: number;
  /** Per view, milliseconds: its requests; what of the load waited for it; how long its scripts kept the page busy. */
  readonly requestP75: number;
  readonly heldP75: number;
  readonly heldMean: number;
  readonly busyMean: number;
  /** Views that waited for it at all. */
  readonly heldViews: number;
  readonly pages: readonly (readonly [page: string, views: number, heldMeanMs: number])[];
  readonly overTime: readonly number[];
}

const MOST_PARTIES = 60;
const MOST_PAGES = 60;

/** Third parties, those that hold pages up most first. @param bins of the window, each with what was waited for the party in the mean of a view */
export function partyFigures(slots: readonly NarrowedSlot[], scope: VisitScope, bins: number): PartyFigures[] {
  const found = new Map<string, PartySum>();
  const width = (scope.toMs - scope.fromMs) / bins;
  for (const { fromMs, visits, parties, passes } of slots) {
    const party = codesOf(parties, 'party');
    const page = codesOf(parties, 'page');
    const [visit, at, requests, failed, bytes, requestUs, heldUs, busyUs] = [
      'visit',
      'at',
      'requests',
      'failed',
      'bytes',
      'requestUs',
      'heldUs',
      'busyUs',
    ].map((name) => codesOf(parties, name).values);
    const begin = codesOf(visits, 'at').values;
    // By the codes of this slot: names are looked up once for each, not for each row.
    const known: (PartySum | null | undefined)[] = [];
    const costs: (PageCost | undefined)[][] = [];
    for (let row = 0; row < parties.rows; row++) {
      const time = fromMs + begin[visit[row]] + at[row];
      if (!passes[visit[row]] || time < scope.fromMs || time >= scope.toMs) continue;
      const code = party.values[row];
      let sum = known[code];
      if (sum === undefined) {
        sum = sumOf(found, party.texts[code - 1] ?? '', bins);
        known[code] = sum;
        costs[code] = [];
      }
      if (!sum) continue;
      sum.requests += requests[row];
      sum.failed += failed[row];
      sum.bytes += bytes[row];
      sum.request.add(requestUs[row] / 1_000);
      sum.held.add(heldUs[row] / 1_000);
      sum.busyUs += busyUs[row];
      if (heldUs[row] > 0) sum.heldViews++;
      const bin = Math.floor((time - scope.fromMs) / width);
      sum.binHeld[bin] += heldUs[row] / 1_000;
      sum.binViews[bin]++;
      costs[code][page.values[row]] ??= costOf(sum, page.texts[page.values[row] - 1] ?? '');
      const of = costs[code][page.values[row]]!;
      of.views++;
      of.heldUs += heldUs[row];
    }
  }
  return [...found]
    .map(([party, it]) => ({
      party,
      views: it.held.total,
      requests: it.requests,
      failed: it.failed,
      bytes: it.bytes,
      requestP75: it.request.quantile(0.75),
      heldP75: it.held.quantile(0.75),
      heldMean: it.held.mean,
      busyMean: it.busyUs / 1_000 / Math.max(1, it.held.total),
      heldViews: it.heldViews,
      pages: [...it.pages]
        .map(([page, { views, heldUs }]) => [page, views, heldUs / 1_000 / views] as const)
        .sort((a, b) => b[1] * b[2] - a[1] * a[2])
        .slice(0, 12),
      overTime: it.binHeld.map((held, bin) => (it.binViews[bin] > 0 ? held / it.binViews[bin] : Number.NaN)),
    }))
    .sort((a, b) => b.heldMean * b.views - a.heldMean * a.views);
}

type PartySum = ReturnType<typeof newSum>;

/** What a party cost the views of one page. */
interface PageCost {
  views: number;
  heldUs: number;
}

/** The sum of a party; null when there are too many others. */
function sumOf(found: Map<string, PartySum>, party: string, bins: number): PartySum | null {
  const known = found.get(party);
  if (known) return known;
  if (found.size >= MOST_PARTIES) return null;
  const sum = newSum(bins);
  found.set(party, sum);
  return sum;
}

/** What a party cost a page; of pages beyond a number it goes nowhere. */
function costOf({ pages }: PartySum, page: string): PageCost {
  const known = pages.get(page);
  if (known) return known;
  const cost = { views: 0, heldUs: 0 };
  if (pages.size < MOST_PAGES) pages.set(page, cost);
  return cost;
}

function newSum(bins: number) {
  return {
    requests: 0,
    failed: 0,
    bytes: 0,
    busyUs: 0,
    heldViews: 0,
    request: new ValueCounts(),
    held: new ValueCounts(),
    pages: new Map<string, PageCost>(),
    binHeld: new Array<number>(bins).fill(0),
    binViews: new Array<number>(bins).fill(0),
  };
}
