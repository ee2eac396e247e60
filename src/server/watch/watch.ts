import { setImmediate as yieldToOthers } from 'node:timers/promises';
import { group } from 'd3-array';
import { runJob } from '../../analysis/pool.ts';
import { begunByChange, type ChangeAt } from '../../core/incidents/begunByChange.ts';
import { joinShifts, type SeriesShift, type ShiftGroup } from '../../core/incidents/joinShifts.ts';
import { firings, type Rule, type RuleReference, type RuleTakes } from '../../core/incidents/rules.ts';
import { findShifts } from '../../core/incidents/shifts.ts';
import type { WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { withOwners } from '../../core/incidents/withOwners.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { allOperations, allWatched } from '../../store/dictionaries/dictionaries.ts';
import {
  addIncident,
  dropIncidents,
  type IncidentRow,
  incidentsBetween,
  type NewIncident,
  updateIncident,
} from '../../store/incidents/incidents.ts';
import { readRules } from '../../store/incidents/rules.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { usualTrafficOf } from '../../store/rollups/usualTrafficOf.ts';
import type { MinuteRollup } from '../../store/rollups/watched/minuteRollup.ts';
import { coOccurrenceOf } from '../../store/scope/coOccurrence.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { askProbe, probedInstances } from '../probes/probes.ts';
import { errorText } from '../requests/errorText.ts';
import { notify } from './notify.ts';
import { watchSources } from './sources.ts';

const ROUND_MS = 60_000;
/** So long after a minute is over what it brought is mostly there. */
const AFTER_MINUTE_MS = 4_000;
const MINUTE_NS = 60_000_000_000n;
const A_DAY = 1440;
/** How far back it is looked: a day, and the day before it that says what is usual. */
const LOOK_BACK = 2 * A_DAY;
/** It begins at a minute that is a multiple of this. */
const STEP = 10;
/** What is found of so long ago is history: it is listed, but sends no notification. */
const NEWS = 30;

/** Looks for shifts and for rules that fire, soon after each minute is over, until stopped. A round that fails is logged and tried again. */
export function keepWatch(address: () => string): () => void {
  let isBusy = false;
  const round = async () => {
    if (isBusy) return;
    isBusy = true;
    try {
      const takes = await runJob<readonly RuleTakes[]>('watch', [address()], { priority: 'background' });
      askProbes(takes);
    } catch (failure) {
      console.error(`watch: ${errorText(failure)}; tried again in a minute`);
    }
    isBusy = false;
  };
  const first = setTimeout(() => void round(), 5_000);
  let timer: NodeJS.Timeout;
  const next = () => {
    timer = setTimeout(
      () => {
        next();
        void round();
      },
      ROUND_MS - (Date.now() % ROUND_MS) + AFTER_MINUTE_MS,
    );
  };
  next();
  return () => {
    clearTimeout(first);
    clearTimeout(timer);
  };
}

/** Processes that are asked at once when a rule fires. */
const MOST_ASKED = 60;
const PROFILE_SECONDS = 10;

/** Has all probes report what runs now, and take a profile where a rule wants one: it comes as data, and lies at the time of the incident. */
function askProbes(takes: readonly RuleTakes[]): void {
  const wanted = takes.filter((it) => it !== 'nothing');
  if (wanted.length === 0) return;
  for (const { service, instance, gone } of probedInstances().slice(0, MOST_ASKED)) {
    if (gone) continue;
    const of = { service, instance, traceId: '', seconds: PROFILE_SECONDS };
    askProbe({ ...of, ask: 'look' });
    if (wanted.includes('profile')) askProbe({ ...of, ask: 'cpu' });
  }
}

/** What a process has read of the minutes that are looked at; the next round reads what has changed. */
const read = watchSources();

/** One round, in the process that has read the minutes before. @returns what the rules that fired want taken */
export function watchRound(address: string): Promise<RuleTakes[]> {
  return watchOnce(address, lastMinute(), read);
}

/** The last minute that is over. */
function lastMinute(): number {
  return Math.floor(Date.now() / 60_000) - 1;
}

/** One round. @param nowMinute the last minute that is over @returns what the rules that fired want taken */
export async function watchOnce(
  address: string,
  nowMinute = lastMinute(),
  { operations, sources }: ReturnType<typeof watchSources> = watchSources(),
): Promise<RuleTakes[]> {
  // From a round minute on, so that the same data gives the same answer as time goes on.
  const from = Math.floor((nowMinute - LOOK_BACK) / STEP) * STEP;
  let changed = 0;
  for (const source of sources) changed += await source.refresh(from, nowMinute);
  // When nothing comes any more there is nothing new to find, but a rule may be about just that.
  if (changed === 0) return fireRules(operations, from, nowMinute, address, await allWatched());
  const watched = await allWatched();
  const sourceOf = new Map(sources.map((it) => [it.kind, it]));
  const shifts: SeriesShift[] = [];
  for (const it of watched) {
    const series = sourceOf.get(it.kind)?.series(it, from, nowMinute);
    if (!series?.minutes.some((minute) => minute !== null)) continue;
    for (const shift of findShifts(series)) shifts.push({ ...shift, series: it.key });
    // Others get their turn between two series.
    await yieldToOthers();
  }
  const groups = await groupShifts(shifts, watched, from, nowMinute);
  // Where data was stored before all that is looked at, what is usual is known a day later only: what ended by then stays as it was found.
  const settled = (operations.oldest() ?? from) > from + 3 * STEP ? Number.NEGATIVE_INFINITY : from + A_DAY;
  const fresh = await reconcile(groups, await incidentsBetween(from, nowMinute), settled);
  for (const it of fresh) if (it.lastMinute >= nowMinute - NEWS) await notify(it, watched, address);
  return fireRules(operations, from, nowMinute, address, watched);
}

/** Begins an incident for each rule that fires, and sends its notifications. @returns what the rules want taken */
async function fireRules(
  operations: MinuteRollup,
  from: number,
  nowMinute: number,
  address: string,
  watched: readonly WatchedSeries[],
): Promise<RuleTakes[]> {
  const fired = await applyRules(operations, await allOperations(), from, nowMinute);
  for (const { row } of fired) if (row.lastMinute >= nowMinute - NEWS) await notify(row, watched, address);
  return fired.map(({ takes }) => takes);
}

async function groupShifts(
  shifts: readonly SeriesShift[],
  watched: readonly WatchedSeries[],
  from: number,
  to: number,
): Promise<ShiftGroup[]> {
  if (shifts.length === 0) return [];
  const byKey = new Map(watched.map((it) => [it.key, it]));
  const changes = (await changesBetween(BigInt(from) * MINUTE_NS, BigInt(to + 1) * MINUTE_NS)).flatMap(
    ({ at, phase, ...it }): ChangeAt[] => (phase === 'end' ? [] : [{ ...it, minute: Math.floor(at / 60_000) }]),
  );
  const moved = [...new Set(shifts.map(({ series }) => series))];
  // What calls a service whose pods are killed is known by the operations there, though none of them moved.
  const owners = new Set(moved.flatMap((key) => (byKey.get(key)?.kind === 'metric' ? [byKey.get(key)!.owner] : [])));
  const operations = watched.filter(({ kind }) => kind === 'operation');
  const ofOwners = group(
    operations.filter(({ owner }) => owners.has(owner)),
    ({ owner }) => owner,
  );
  const looked = new Set([
    ...moved.filter((key) => byKey.get(key)?.kind === 'operation'),
    ...[...ofOwners.values()].flat().map(({ key }) => key),
  ]);
  const groups = joinShifts(
    shifts,
    withOwners(
      (key) => byKey.get(key),
      await coOccurrenceOf([...looked], from, to),
      (owner) => (ofOwners.get(owner) ?? []).map(({ key }) => key),
    ),
  );
  return groups.map((it) => begunByChange(it, changes, (key) => byKey.get(key)?.owner));
}

/**
 * Brings what is kept in step with what was found.
 *
 * @param settled what ended before this minute is not judged anew
 * @returns those that are new
 */
async function reconcile(groups: readonly ShiftGroup[], kept: readonly IncidentRow[], settled: number): Promise<IncidentRow[]> {
  const free = new Set(kept.filter((it) => it.source === 'shift' && it.lastMinute >= settled));
  const fresh: IncidentRow[] = [];
  for (const group of groups) {
    if (group.lastMinute < settled) continue;
    const isSame = (it: IncidentRow) =>
      it.firstMinute <= group.lastMinute &&
      it.lastMinute >= group.firstMinute &&
      it.shifts.some((a) => group.shifts.some((b) => a.series === b.series));
    const found = [...free].filter(isSame).sort((a, b) => overlap(b, group) - overlap(a, group))[0];
    const { shifts, firstMinute, lastMinute, foundMinute } = group;
    if (found) {
      free.delete(found);
      // What began before is known better by what was found then.
      const begun =
        found.firstMinute < settled ? { shifts: found.shifts, firstMinute: found.firstMinute } : { shifts, firstMinute };
      if (
        found.firstMinute !== begun.firstMinute ||
        found.lastMinute !== lastMinute ||
        found.shifts.length !== begun.shifts.length
      )
        await updateIncident(found.id, { ...begun, lastMinute });
    } else {
      const row: NewIncident = { source: 'shift', ruleId: '', shifts, firstMinute, lastMinute, foundMinute };
      fresh.push({ ...row, id: await addIncident(row), acknowledged: null, mutedUntil: null });
    }
  }
  // What later data explains away goes, unless somebody has seen to it.
  await dropIncidents([...free].filter((it) => it.acknowledged === null && it.firstMinute >= settled).map((it) => it.id));
  return fresh;
}

function overlap(a: { firstMinute: number; lastMinute: number }, b: { firstMinute: number; lastMinute: number }): number {
  return Math.min(a.lastMinute, b.lastMinute) - Math.max(a.firstMinute, b.firstMinute);
}

type KnownOperation = Awaited<ReturnType<typeof allOperations>>[number];

/** What is usual of a rule's calls, when it asks for that. */
async function usualOf(rule: Rule, ids: readonly number[], from: number, to: number): Promise<RuleReference['usualCalls']> {
  if (rule.measure !== 'drop' && rule.measure !== 'rise') return undefined;
  return usualTrafficOf(ids, from, to);
}

async function applyRules(
  book: MinuteRollup,
  operations: readonly KnownOperation[],
  from: number,
  now: number,
): Promise<{ row: IncidentRow; takes: RuleTakes }[]> {
  const rules = (await readRules()).filter((it) => it.on);
  if (rules.length === 0) return [];
  const journeys = journeysOf(await namedJourneys(), [...new Set(operations.map((it) => it.name))]);
  const fresh: { row: IncidentRow; takes: RuleTakes }[] = [];
  for (const rule of rules) {
    const journey = journeys.find((it) => it.name === rule.journey);
    if (!journey) continue;
    const ids = operations.filter((it) => journey.entries.includes(it.name)).map((it) => it.id);
    // A rule looks at what happens from now on; what it would have found before is for its trial.
    const recent = Math.max(from, now - 60 - rule.minutes);
    const reference = { objective: journey.objective, usualCalls: await usualOf(rule, ids, recent, now) };
    const [last] = firings(book.entrySeries(ids, recent, now), rule, reference).slice(-1);
    if (!last || last.lastMinute < now - rule.minutes) continue;
    const kept = (await incidentsBetween(last.firstMinute - rule.minutes, now)).find((it) => it.ruleId === rule.id);
    if (kept) await updateIncident(kept.id, { lastMinute: last.lastMinute });
    else {
      const row: NewIncident = { source: 'rule', ruleId: rule.id, shifts: [], ...last, foundMinute: now };
      fresh.push({ row: { ...row, id: await addIncident(row), acknowledged: null, mutedUntil: null }, takes: rule.takes });
    }
  }
  return fresh;
}
