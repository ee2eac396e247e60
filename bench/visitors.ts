import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { deflateRawSync, gzipSync, inflateRawSync } from 'node:zlib';
import { buildSnippet } from '../collectors/browser/build.ts';
import { chance } from '../demo/simulation/chance.ts';
import type { Segment } from '../src/core/columns/segment.ts';
import { appsIn } from '../src/core/visits/figures/appsIn.ts';
import { facetSums, facetValues } from '../src/core/visits/figures/facetFigures.ts';
import { bands, pageSide } from '../src/core/visits/figures/pageFigures.ts';
import { partyFigures } from '../src/core/visits/figures/partyFigures.ts';
import { faultGroups, versionFigures } from '../src/core/visits/figures/versionFigures.ts';
import { visitRows } from '../src/core/visits/figures/visitRows.ts';
import { funnelOf } from '../src/core/visits/funnel/funnel.ts';
import { splits } from '../src/core/visits/funnel/funnelSplits.ts';
import { passages } from '../src/core/visits/funnel/passages.ts';
import { narrowed, type SlotVisits } from '../src/core/visits/slotVisits.ts';
import { VISIT_PARTS, visitSegments } from '../src/core/visits/visitColumns.ts';
import type { VisitEvent } from '../src/core/visits/visitEvent.ts';
import { type Visit, visitOf } from '../src/core/visits/visitOf.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import { openBrowser } from '../tests/support/browser.ts';
import { mediansByTurns, report } from './support/measure.ts';

const FROM = Date.UTC(2026, 4, 2);
const SLOT_MS = 600_000;
const SLOTS = 144;
const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes, { level: 4 }),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};

/** @param sessions that a day has */
export async function benchVisitors(sessions = 1_000_000): Promise<void> {
  await snippetCost();
  await pagesOf(sessions);
}

/** A visit of some views, presses and resources. */
export function made(luck: ReturnType<typeof chance>, startMs: number, at: number): Visit {
  const events: VisitEvent[] = [];
  let time = startMs;
  const add = (
    kind: VisitEvent['kind'],
    page: string,
    name: string,
    durationMs: number | null,
    detail: VisitEvent['detail'] = {},
  ) => events.push({ atMs: time, kind, page, name, durationMs, traceId: '', order: events.length, detail, about: {} });
  const views = luck.between(1, 4);
  for (let view = 0; view < views; view++) {
    const page = ['/sailings', '/sailings/choose', '/bookings/confirm', '/passes', '/notices'][luck.between(0, 4)];
    const load = 200 + luck.exponential(600);
    add('page', page, page, load, { 'dns.ms': 5, 'connect.ms': 20, 'request.ms': 80, 'response.ms': 30 });
    add('resource', page, 'https://tags.example/tag.js', luck.exponential(150), { party: 'third', bytes: 61_000 });
    for (const vital of ['TTFB', 'FCP', 'LCP', 'INP']) add('vital', page, vital, luck.exponential(300));
    time += load + luck.exponential(4_000);
    add('action', page, ['search', 'hold places', 'pay and confirm'][Math.min(2, view)], luck.exponential(200), {
      effect: luck.happens(0.03) ? 'none' : 'request',
    });
    time += luck.exponential(6_000);
  }
  if (luck.happens(0.01)) add('error', '/sailings', 'it broke', null, { stack: 'f (a.js:1)' });
  const about = {
    version: luck.pick([
      ['2.31', 3],
      ['2.30', 5],
      ['2.29', 1],
    ]),
    region: luck.pick([
      ['Tern', 6],
      ['Marram', 4],
      ['Fennick', 2],
    ]),
    browser: luck.pick([
      ['Gullwing 14', 5],
      ['Halyard 9', 3],
    ]),
    device: luck.pick([
      ['desk', 3],
      ['tablet', 2],
    ]),
  };
  events[0] = { ...events[0], about };
  return visitOf(
    `${at.toString(16).padStart(12, '0')}${startMs.toString(16)}`,
    'quayside-web',
    `guest-${luck.between(1, 90_000)}`,
    events,
  );
}

/** Any page over so many sessions of a day, from columns in memory, and from deflated ones. Distinct visits are made for one slot in eight and repeated. */
async function pagesOf(sessions: number): Promise<void> {
  const luck = chance(7);
  const perSlot = Math.ceil(sessions / SLOTS);
  const distinct = Array.from({ length: 18 }, (_, slot) => {
    const from = FROM + slot * SLOT_MS;
    const visits = Array.from({ length: perSlot }, (_, at) => made(luck, from + (at / perSlot) * SLOT_MS, at)).sort(
      (a, b) => a.fromMs - b.fromMs,
    );
    const parts = visitSegments(visits, from);
    return VISIT_PARTS.map((part) => encodeSegment(parts[part], COMPRESSION));
  });
  const bytes = distinct.flat().reduce((sum, it) => sum + it.length, 0);
  const decode = (): SlotVisits[] =>
    Array.from({ length: SLOTS }, (_, slot) => {
      const [visits, views, faults, parties] = distinct[slot % distinct.length].map(
        (it) => decodeSegment(it, COMPRESSION) as Segment,
      );
      return { fromMs: FROM + slot * SLOT_MS, visits, views, faults, parties };
    });
  const scope = { fromMs: FROM, toMs: FROM + SLOTS * SLOT_MS, conditions: [] };
  const warm = decode();
  const steps = ['search', 'hold places', 'pay and confirm'].map((name) => ({ kind: 'action' as const, name }));
  const slotsOf = (of: SlotVisits[]) => narrowed(of, [{ field: 'app', values: ['quayside-web'], not: false }]);
  const pages = (of: SlotVisits[]) => {
    const slots = slotsOf(of);
    const side = pageSide(slots, scope, 2_000);
    bands(slots, side);
    const facets = { facets: facetSums(slots, side.rows), ready: side.whole.ready };
    for (const facet of ['version', 'region', 'browser', 'device'] as const) facetValues(facet, facets, facets);
    return side.whole.views;
  };
  const numbers = Float64Array.from({ length: 20_000_000 }, (_, at) => at);
  const additions = () => {
    let sum = 0;
    for (let at = 0; at < numbers.length; at++) sum += numbers[at];
    return sum;
  };
  process.stdout.write(
    `${perSlot * SLOTS} sessions, ${pages(warm)} views; ${(bytes / (perSlot * distinct.length)).toFixed(0)} bytes a session as deflated columns\n`,
  );
  const asked: readonly (readonly [string, () => unknown])[] = [
    ['20 M additions', additions],
    ['pages', () => pages(warm)],
    ['pages, columns still deflated', () => pages(decode())],
    ['visits', () => visitRows(slotsOf(warm), scope, 'struggle', 200).total],
    ['steps', () => funnelOf(passages(slotsOf(warm), scope, { steps, withinMs: 3_600_000, per: 'visit' }), 3).length],
    [
      'who leaves',
      () => {
        const slots = slotsOf(warm);
        const side = { slots, passages: passages(slots, scope, { steps, withinMs: 3_600_000, per: 'visit' }) };
        return splits({ lit: side, before: side }, 0).length;
      },
    ],
    ['versions and errors', () => versionFigures(slotsOf(warm), scope, 48).length + faultGroups(slotsOf(warm), scope).length],
    ['third parties', () => partyFigures(slotsOf(warm), scope, 48).length],
    ['counts', () => appsIn(slotsOf(warm), scope).size],
  ];
  const medians = await mediansByTurns(
    3,
    asked.map(([, work]) => work),
  );
  for (const [at, [name]] of asked.entries()) if (at > 0) report(name, medians[at], asked[0][0], medians[0]);
}

const RUNS = 9;

/** What the snippet costs a page: its size, and processor time of the page's main thread until it has been loaded, with it and without. */
async function snippetCost(): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-snippet-'));
  const file = join(folder, 'visits.js');
  await buildSnippet(file);
  const script = readFileSync(file);
  const server = createServer((request, response) => {
    if (request.url?.startsWith('/v1/')) return response.writeHead(204, { 'access-control-allow-origin': '*' }).end();
    if (request.url === '/visits.js') return response.writeHead(200, { 'content-type': 'text/javascript' }).end(script);
    const rows = Array.from({ length: 400 }, (_, at) => `<tr><td>${at}<td><button>hold ${at}</button></tr>`).join('');
    const tag = request.url === '/with' ? '<script src="/visits.js" data-site="site-of-the-bench"></script>' : '';
    return response
      .writeHead(200, { 'content-type': 'text/html' })
      .end(`<!doctype html>${tag}<table>${rows}</table><p id=out></p><script>
      document.onclick = () => { document.getElementById('out').textContent = Math.random(); };</script>`);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const browser = await openBrowser();
  const driver = browser.driver as unknown as {
    sendAndGetDevToolsCommand: (name: string, given?: object) => Promise<{ metrics: { name: string; value: number }[] }>;
  };
  const cost: Record<string, number[]> = { '/plain': [], '/with': [] };
  const press: Record<string, number[]> = { '/plain': [], '/with': [] };
  try {
    await driver.sendAndGetDevToolsCommand('Performance.enable');
    for (let run = 0; run < RUNS; run++)
      for (const path of Object.keys(cost)) {
        await browser.driver.get('about:blank');
        await browser.driver.get(`${origin}${path}`);
        await sleep(400);
        const { metrics } = await driver.sendAndGetDevToolsCommand('Performance.getMetrics');
        const of = (name: string) => 1_000 * (metrics.find((it) => it.name === name)?.value ?? 0);
        cost[path].push(of('TaskDuration'));
        press[path].push(await browser.driver.executeScript<number>(PRESS));
      }
  } finally {
    await browser.close();
    server.close();
    rmSync(folder, { recursive: true, force: true });
  }
  const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
  process.stdout.write(
    `snippet: ${gzipSync(script, { level: 9 }).length} bytes gzip; main thread until 0.4 s after the load ${median(cost['/plain']).toFixed(1)} ms without, ${median(cost['/with']).toFixed(1)} ms with it; ` +
      `a press ${median(press['/plain']).toFixed(2)} ms without, ${median(press['/with']).toFixed(2)} ms with it (medians of ${RUNS})\n`,
  );
}

/** Presses fifty buttons; milliseconds of handlers and layout a press. */
const PRESS = `const all = [...document.querySelectorAll('button')].slice(0, 50);
const began = performance.now();
for (const it of all) { it.click(); void document.body.offsetHeight; }
return (performance.now() - began) / all.length;`;
