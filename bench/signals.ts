import { type DayOptions, runDay } from '../demo/day.ts';
import { randomIncidents } from '../demo/incidents/family.ts';
import { begunByChange, type ChangeAt } from '../src/core/incidents/begunByChange.ts';
import type { CallSeries, MinuteOfCalls } from '../src/core/incidents/callSeries.ts';
import { type CoOccurrence, joinShifts, type SeriesShift, type ShiftGroup } from '../src/core/incidents/joinShifts.ts';
import { addPageEvent, type PageMinutes, pageSeries } from '../src/core/incidents/pageSeries.ts';
import { findShifts } from '../src/core/incidents/shifts.ts';
import { type SeriesKey, seriesId, seriesKeyOf } from '../src/core/incidents/watchedSeries.ts';
import { withOwners } from '../src/core/incidents/withOwners.ts';
import { innerMap } from '../src/core/maps/innerMap.ts';
import { addValue, emptySketch } from '../src/core/measures/sketch.ts';
import type { Span } from '../src/core/trace/span.ts';
import type { OutgoingLog } from '../src/formats/otlp/record/encodeLogs.ts';
import { KeptSpans, placesNamed, type Stretch } from './origins.ts';

const HOURS = 8;
const MINUTE_NS = 60_000_000_000n;

/** What the detector gets to see of a day, and which of its operations come in the same requests. */
interface Watched {
  readonly names: readonly string[];
  readonly series: ReadonlyMap<number, CallSeries>;
  readonly coOccurrence: (a: SeriesKey, b: SeriesKey) => CoOccurrence;
  readonly changes: readonly ChangeAt[];
}

/** Rolls up the spans of a day by operation and minute, as the store does; and what the visitors of that day measured of their pages. */
function watchDay(options: DayOptions, kept: KeptSpans): Watched {
  const names: string[] = [];
  const ids = new Map<string, number>();
  const minutes = new Map<number, Map<number, { calls: number; failures: number; sketch: MinuteOfCalls['sketch'] }>>();
  const operationsOf = new Map<string, Set<number>>();
  const take = (span: Span) => {
    kept.add(span);
    if (span.kind !== 'server' && span.kind !== 'consumer' && span.parentSpanId !== null) return;
    const name = `${span.service} ${span.name}`;
    let id = ids.get(name);
    if (id === undefined) {
      id = names.push(name) - 1;
      ids.set(name, id);
      minutes.set(id, new Map());
    }
    const minute = Number(span.start / MINUTE_NS);
    const ofOperation = minutes.get(id)!;
    let tally = ofOperation.get(minute);
    if (!tally) {
      tally = { calls: 0, failures: 0, sketch: emptySketch() };
      ofOperation.set(minute, tally);
    }
    tally.calls++;
    if (span.status === 'error') tally.failures++;
    addValue(tally.sketch, Number(span.end - span.start));
    const operations = operationsOf.get(span.traceId) ?? new Set();
    operations.add(id);
    operationsOf.set(span.traceId, operations);
  };
  const pages = new Map<string, PageMinutes>();
  const changes: ChangeAt[] = [];
  const takeLog = ({ event, attributes, resource, time }: OutgoingLog) => {
    if (event === 'lantern.change' && attributes['lantern.change.phase'] !== 'end')
      changes.push({
        minute: Number(time / MINUTE_NS),
        service: String(resource['service.name']),
        kind: String(attributes['lantern.change.kind']),
        title: String(attributes['lantern.change.title']),
      });
    const kind = attributes['lantern.visit.kind'];
    if (event !== 'lantern.visit' || (kind !== 'page' && kind !== 'crash') || !attributes['url.path']) return;
    const name = `${resource['service.name']} page ${attributes['url.path']}`;
    const ms = attributes['lantern.visit.duration_ms'];
    addPageEvent(innerMap(pages, name) as PageMinutes, {
      minute: Number(time / MINUTE_NS),
      crashed: kind === 'crash',
      durationNs: ms === undefined || ms === null ? null : Number(ms) * 1e6,
    });
  };
  runDay(options, { span: take, log: takeLog, point: () => {}, profile: () => {} });
  const last = Math.floor(options.endMs / 60_000) - 1;
  const first = last + 1 - options.hours * 60;
  const series = new Map<number, CallSeries>(
    [...minutes].map(([id, ofOperation]) => [
      id,
      { firstMinute: first, minutes: Array.from({ length: last + 1 - first }, (_, at) => ofOperation.get(first + at) ?? null) },
    ]),
  );
  for (const [name, ofPage] of pages) series.set(names.push(name) - 1, pageSeries(ofPage, first, last));
  const seriesOf = (id: number) =>
    pages.has(names[id]) ? { kind: 'page' as const, owner: names[id].split(' ')[0] } : { kind: 'operation' as const, owner: '' };
  const coOccurrence = withOwners((key) => seriesOf(seriesId(key)), coOccurrenceIn(operationsOf.values()));
  return { names, series, coOccurrence, changes };
}

function coOccurrenceIn(traces: Iterable<Set<number>>): (a: SeriesKey, b: SeriesKey) => CoOccurrence {
  const count = new Map<number, number>();
  const both = new Map<string, number>();
  for (const operations of traces)
    for (const a of operations) {
      count.set(a, (count.get(a) ?? 0) + 1);
      for (const b of operations) if (a < b) both.set(`${a} ${b}`, (both.get(`${a} ${b}`) ?? 0) + 1);
    }
  return (one, other) => {
    const [a, b] = [seriesId(one), seriesId(other)];
    const shared = both.get(a < b ? `${a} ${b}` : `${b} ${a}`) ?? 0;
    const [ofA, ofB] = [count.get(a) ?? 0, count.get(b) ?? 0];
    return { ofRarer: shared / Math.max(1, Math.min(ofA, ofB)), ofEither: shared / Math.max(1, ofA + ofB - shared) };
  };
}

function detect({ names, series, coOccurrence, changes }: Watched): ShiftGroup[] {
  const shifts: SeriesShift[] = [];
  for (const [operationId, it] of series)
    for (const shift of findShifts(it)) shifts.push({ ...shift, series: seriesKeyOf('operation', operationId) });
  const ownerOf = (key: SeriesKey) => names[seriesId(key)].split(' ')[0];
  return joinShifts(shifts, coOccurrence).map((group) => begunByChange(group, changes, ownerOf));
}

interface Score {
  incidents: number;
  detected: number;
  readonly startErrors: number[];
  readonly delays: number[];
  readonly falsePerDay: number[];
  /** Incidents that were found as one. */
  asOne: number;
  /** Of incidents that requests show: how often the place is named first, and among those named. */
  shown: number;
  first: number;
  /** Of those named first, the ones by the second of two causes. */
  second: number;
  named: number;
  /** Quiet stretches that were held against quiet ones, and those in which something was claimed. */
  quiet: number;
  claimed: number;
}

/**
 * Made-up days with one to three incidents or none: how many are found, how soon, how exactly, and how often something is found that is none.
 *
 * @param days how many @param first the seed of the first; those after it follow
 */
export function benchSignals(days = 20, first = 1): void {
  const score: Score = {
    incidents: 0,
    detected: 0,
    startErrors: [],
    delays: [],
    falsePerDay: [],
    asOne: 0,
    shown: 0,
    first: 0,
    second: 0,
    named: 0,
    quiet: 0,
    claimed: 0,
  };
  const endMs = Date.parse('2026-05-02T15:00:00Z');
  for (let seed = first; seed < first + days; seed++) {
    const drawn = randomIncidents(seed, HOURS);
    const stretches = stretchesOf(drawn.incidents, endMs);
    const kept = new KeptSpans(stretches.flatMap((it) => [it.lit, it.before]));
    const watched = watchDay({ endMs, hours: HOURS, seed, ...drawn }, kept);
    scoreDay(score, watched, detect(watched), drawn.incidents, endMs, `seed ${seed}`);
    for (const it of stretches) scorePlace(score, it, kept);
  }
  const say = (text: string) => process.stdout.write(`${text}\n`);
  const mid = (values: readonly number[]) => [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;
  say(`${score.detected} of ${score.incidents} incidents detected (${((100 * score.detected) / score.incidents).toFixed(0)} %)`);
  say(
    `start off by ${mid(score.startErrors).toFixed(1)} min (median), found ${mid(score.delays).toFixed(1)} min after it (median)`,
  );
  const share = (count: number, of: number) => `${count} of ${of}${of === 0 ? '' : ` (${((100 * count) / of).toFixed(0)} %)`}`;
  const near = score.startErrors.filter((it) => it <= 2).length;
  say(
    `begun within 2 min of the truth: ${share(near, score.startErrors.length)}; found as one incident: ${share(score.asOne, score.detected)}`,
  );
  say(
    `where it starts named first: ${share(score.first, score.shown)}, ${score.second} of them by the second of two causes; among those named: ${share(score.named, score.shown)}`,
  );
  say(`quiet stretches of 20 min in which a start is claimed: ${share(score.claimed, score.quiet)}`);
  const mean = score.falsePerDay.reduce((sum, it) => sum + it, 0) / score.falsePerDay.length;
  say(`${mean.toFixed(2)} false incidents in 24 h without an incident (mean over the ${days} days)`);
}

/** What is looked at to see where something starts; without a truth it is quiet. */
interface Place {
  readonly lit: Stretch;
  readonly before: Stretch;
  readonly truth?: Truth;
}

const LOOKED_AT = 20;
const HELD_AGAINST = 60;

/** Of each incident that begins after a quiet hour, its first minutes; and a quiet stretch where there is one. */
function stretchesOf(truths: readonly Truth[], endMs: number): Place[] {
  const end = Math.floor(endMs / 60_000);
  const begin = end - HOURS * 60;
  const troubled = truths.map((it) => ({ from: end - it.begins, to: (it.ends === null ? end : end - it.ends) + AFTER }));
  const isQuiet = ({ from, to }: Stretch) => from >= begin && to <= end && !troubled.some((it) => it.from < to && it.to > from);
  const places = truths.flatMap((truth): Place[] => {
    const from = end - truth.begins;
    const before = { from: from - HELD_AGAINST, to: from };
    const last = truth.ends === null ? end : end - truth.ends;
    const lit = { from: from + 1, to: Math.min(last, from + 1 + LOOKED_AT) };
    return isQuiet(before) && truth.affected.length > 0 ? [{ lit, before, truth }] : [];
  });
  for (let from = begin + HELD_AGAINST; from + LOOKED_AT <= end; from += 15) {
    const quiet = { lit: { from, to: from + LOOKED_AT }, before: { from: from - HELD_AGAINST, to: from } };
    if (isQuiet({ from: from - HELD_AGAINST, to: from + LOOKED_AT })) return [...places, quiet];
  }
  return places;
}

function scorePlace(score: Score, { lit, before, truth }: Place, kept: KeptSpans): void {
  const { failures, slowness } = placesNamed(kept.requestsIn(lit), kept.requestsIn(before));
  if (!truth) {
    score.quiet++;
    if (failures.length + slowness.length > 0) score.claimed++;
    return;
  }
  score.shown++;
  const isNamedFirst = (place: string | undefined) => place !== undefined && (failures[0] === place || slowness[0] === place);
  const isFirst = isNamedFirst(truth.place) || isNamedFirst(truth.also);
  if (isFirst) score.first++;
  if (isFirst && !isNamedFirst(truth.place)) score.second++;
  if (isFirst || [...failures, ...slowness].includes(truth.place)) score.named++;
  if (!isFirst)
    process.stdout.write(
      `  ${truth.id} at ${truth.place}: failures ${failures.join(', ') || '–'}, slowness ${slowness.join(', ') || '–'}\n`,
    );
}

interface Truth {
  readonly id: string;
  readonly place: string;
  readonly also?: string;
  readonly affected: readonly string[];
  readonly begins: number;
  readonly ends: number | null;
}

/** After an incident its queues are worked off; what is found then still belongs to it. */
const AFTER = 20;

function scoreDay(
  score: Score,
  { names, series }: Watched,
  groups: readonly ShiftGroup[],
  truths: readonly Truth[],
  endMs: number,
  title: string,
): void {
  const end = Math.floor(endMs / 60_000);
  const used = new Set<ShiftGroup>();
  const lines: string[] = [];
  for (const truth of truths) {
    const begins = end - truth.begins;
    const ends = truth.ends === null ? end : end - truth.ends;
    const isOf = (group: ShiftGroup) =>
      group.shifts.some(({ series: key }) => {
        const name = names[seriesId(key)];
        return truth.affected.some((it) => name.endsWith(` ${it}`)) || name.startsWith(`${truth.place} `);
      });
    const found = groups
      .filter((it) => it.lastMinute >= begins && it.firstMinute <= ends + AFTER && isOf(it))
      // Of several that overlap it, the one that says best when it began.
      .sort((a, b) => Math.abs(a.firstMinute - begins) - Math.abs(b.firstMinute - begins));
    for (const it of found) used.add(it);
    if (found.length === 1) score.asOne++;
    const best = found[0];
    score.incidents++;
    if (best) {
      score.detected++;
      score.startErrors.push(Math.abs(best.firstMinute - begins));
      score.delays.push(Math.max(0, best.foundMinute + 1 - begins));
    }
    lines.push(
      `  ${truth.id} at ${truth.place}, ${truth.begins} to ${truth.ends ?? 0} min before the end: ${
        best
          ? `begins ${best.firstMinute - begins} min off, found after ${Math.max(0, best.foundMinute + 1 - begins)} min`
          : 'not found'
      }`,
    );
  }
  const stray = groups.filter((it) => !used.has(it));
  for (const it of stray)
    lines.push(
      `  none, ${end - it.firstMinute} to ${end - it.lastMinute} min before the end: ${it.shifts
        .map((shift) => `${names[seriesId(shift.series)]} ${shift.measure}`)
        .join(', ')}`,
    );
  const watchedMinutes = series.size === 0 ? 0 : series.values().next().value!.minutes.length;
  const troubled = truths.reduce((sum, it) => sum + it.begins - (it.ends ?? 0) + AFTER, 0);
  score.falsePerDay.push((stray.length * 1440) / Math.max(60, watchedMinutes - troubled));
  process.stdout.write(`${title}\n${lines.join('\n')}${lines.length > 0 ? '\n' : ''}`);
}
