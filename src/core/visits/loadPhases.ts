import { DETAIL, endOf, hostOf, numberIn, textIn, type VisitEvent } from './visitEvent.ts';

/** Where the time of a page load can go, in the order in which it is drawn. */
export const PHASES = ['network', 'server', 'download', 'third', 'browser'] as const;
export type Phase = (typeof PHASES)[number];

/** A stretch of a page load and what it went into; microseconds from the beginning of the load. */
export interface LoadPart {
  readonly from: number;
  readonly to: number;
  readonly phase: Phase;
  /** The host, for a third party. */
  readonly party: string;
  /** The script or resource; empty for the page itself and for the browser's own work. */
  readonly name: string;
}

/** Whole microseconds. */
function us(ms: number): number {
  return Math.round(ms * 1_000);
}

/**
 * A page load taken apart along its own critical path: first the document by the phases of its navigation timing, then back from the moment
 * of being ready to whatever finished last before it. Gaps are the browser's. The parts lie side by side and fill the load exactly.
 *
 * @param resources, tasks those of the load; what begins after it was ready is left out
 */
export function loadParts(page: VisitEvent, resources: readonly VisitEvent[], tasks: readonly VisitEvent[]): LoadPart[] {
  if (page.durationMs === null || !(page.durationMs > 0)) return [];
  const ready = us(page.durationMs);
  const document = documentParts(page, ready);
  const documentEnd = document.at(-1)?.to ?? 0;
  const items = [...resources, ...tasks]
    .map((event) => ({ event, from: Math.max(documentEnd, us(event.atMs - page.atMs)), to: us(endOf(event) - page.atMs) }))
    .filter(({ from, to }) => to > from && from < ready && to > documentEnd);
  const rest: LoadPart[] = [];
  let at = ready;
  while (at > documentEnd) {
    let best: (typeof items)[number] | undefined;
    for (const it of items) {
      if (it.from >= at) continue;
      // Of several that last until here, the one that began first was waited for longest.
      if (
        !best ||
        Math.min(it.to, at) > Math.min(best.to, at) ||
        (Math.min(it.to, at) === Math.min(best.to, at) && it.from < best.from)
      )
        best = it;
    }
    const until = best ? Math.min(best.to, at) : documentEnd;
    if (until < at) rest.push({ from: until, to: at, phase: 'browser', party: '', name: '' });
    if (!best) break;
    rest.push(...partsOf(best.event, best.from, until).reverse());
    at = best.from;
  }
  return joined([...document, ...rest.reverse()]);
}

/** Redirects, name, connection and its encryption; waiting for the first byte; the rest of the answer. */
function documentParts({ detail }: VisitEvent, ready: number): LoadPart[] {
  return timedParts(detail, 0, ready, '');
}

const TIMINGS: readonly (readonly [name: string, phase: Phase])[] = [
  [DETAIL.redirect, 'network'],
  [DETAIL.dns, 'network'],
  [DETAIL.connect, 'network'],
  [DETAIL.tls, 'network'],
  [DETAIL.request, 'server'],
  [DETAIL.response, 'download'],
];

function timedParts(detail: VisitEvent['detail'], from: number, most: number, name: string): LoadPart[] {
  const parts: LoadPart[] = [];
  let at = from;
  for (const [key, phase] of TIMINGS) {
    const to = Math.min(most, at + us(Math.max(0, numberIn(detail, key) ?? 0)));
    if (to > at) parts.push({ from: at, to, phase, party: '', name });
    at = to;
  }
  return parts;
}

function partsOf(event: VisitEvent, from: number, to: number): LoadPart[] {
  const name = event.name;
  if (isThird(event)) return [{ from, to, phase: 'third', party: hostOf(name) || name, name }];
  if (event.kind === 'task') return [{ from, to, phase: 'browser', party: '', name }];
  // What came before its first timing it spent in a queue of the browser for a connection.
  const timed = TIMINGS.reduce((sum, [key]) => sum + us(Math.max(0, numberIn(event.detail, key) ?? 0)), 0);
  if (timed === 0) return [{ from, to, phase: 'download', party: '', name }];
  const begin = Math.max(from, to - timed);
  const parts = timedParts(event.detail, begin, to, name);
  const end = parts.at(-1)?.to ?? begin;
  return [
    ...(begin > from ? [{ from, to: begin, phase: 'network' as const, party: '', name }] : []),
    ...parts,
    ...(end < to ? [{ from: end, to, phase: 'download' as const, party: '', name }] : []),
  ];
}

/** Whether a resource or script is not the company's own. */
export function isThird({ detail }: Pick<VisitEvent, 'detail'>): boolean {
  return textIn(detail, DETAIL.party) === 'third';
}

function joined(parts: readonly LoadPart[]): LoadPart[] {
  const found: LoadPart[] = [];
  for (const it of parts) {
    const last = found.at(-1);
    if (last && last.phase === it.phase && last.name === it.name && last.to === it.from)
      found[found.length - 1] = { ...last, to: it.to };
    else found.push(it);
  }
  return found;
}

/** The parts of a load by phase, microseconds; they add up to the load. */
export function phaseSums(parts: readonly LoadPart[]): Record<Phase, number> {
  const sums = { network: 0, server: 0, download: 0, third: 0, browser: 0 };
  for (const { phase, from, to } of parts) sums[phase] += to - from;
  return sums;
}
