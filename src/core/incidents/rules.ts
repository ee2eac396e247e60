import { burnRate } from '../journeys/journey.ts';
import { emptySketch, mergeInto, quantiles } from '../measures/sketch.ts';
import { countOver } from '../verdict/callBlocks.ts';
import type { CallSeries } from './callSeries.ts';
import { trafficMove } from './usualTraffic.ts';

export const RULE_MEASURES = ['failures', 'p50', 'p95', 'p99', 'rate', 'drop', 'rise', 'burn'] as const;
export type RuleMeasure = (typeof RULE_MEASURES)[number];

/** Nothing; what runs at that moment; or that and a profile of ten seconds. */
export const RULE_TAKES = ['nothing', 'stacks', 'profile'] as const;
export type RuleTakes = (typeof RULE_TAKES)[number];

/** A rule of one's own: an incident begins when a measure of a journey's calls is beyond a bound. */
export interface Rule {
  readonly id: string;
  readonly name: string;
  /** Name of a journey. */
  readonly journey: string;
  /**
   * failures: share of calls; p50, p95, p99: milliseconds; rate: calls a minute, below the bound; drop, rise: by which share less or more comes
   * than usual at that time of the day; burn: times the journey's objective.
   */
  readonly measure: RuleMeasure;
  readonly bound: number;
  /** Over how many minutes the calls are looked at. */
  readonly minutes: number;
  readonly on: boolean;
  /** What probes are asked for at the moment it fires. */
  readonly takes: RuleTakes;
}

export interface Firing {
  /** Minutes since 1970-01-01, both inclusive. */
  readonly firstMinute: number;
  readonly lastMinute: number;
}

/** What rules are held against beside the calls themselves. */
export interface RuleReference {
  readonly objective?: { readonly withinMs?: number; readonly share: number };
  /** How many calls usually come in so many minutes up to one; null when that is not known. */
  readonly usualCalls?: (minute: number, minutes: number) => number | null;
}

/** Fewer calls than this say nothing of a share or a percentile. */
const ENOUGH = 5;

/** The measure of the calls of some minutes up to one; null when there are too few. */
export function measureAt(
  { firstMinute, minutes }: CallSeries,
  at: number,
  rule: Pick<Rule, 'measure' | 'minutes'>,
  { objective, usualCalls }: RuleReference = {},
): number | null {
  const all = emptySketch();
  let calls = 0;
  let failures = 0;
  for (let back = Math.max(0, at - rule.minutes + 1); back <= at; back++) {
    const minute = minutes[back];
    if (!minute) continue;
    calls += minute.calls;
    failures += minute.failures;
    mergeInto(all, minute.sketch);
  }
  if (rule.measure === 'rate') return calls / rule.minutes;
  if (rule.measure === 'drop' || rule.measure === 'rise')
    return trafficMove(rule.measure, calls, usualCalls?.(firstMinute + at, rule.minutes) ?? null);
  if (calls < ENOUGH) return null;
  switch (rule.measure) {
    case 'failures':
      return failures / calls;
    case 'burn': {
      if (!objective) return null;
      const slow = objective.withinMs === undefined ? 0 : countOver(all, objective.withinMs * 1e6);
      return burnRate(Math.max(0, calls - failures - slow), calls, objective.share);
    }
    default:
      return (quantiles(all, [Number(rule.measure.slice(1)) / 100])[0] ?? 0) / 1e6;
  }
}

/** When a rule would have fired: stretches in which its measure was beyond the bound, minute by minute. */
export function firings(series: CallSeries, rule: Rule, reference?: RuleReference): Firing[] {
  const found: { firstMinute: number; lastMinute: number }[] = [];
  for (let at = rule.minutes - 1; at < series.minutes.length; at++) {
    const value = measureAt(series, at, rule, reference);
    if (value === null || !(rule.measure === 'rate' ? value < rule.bound : value > rule.bound)) continue;
    const minute = series.firstMinute + at;
    const last = found.at(-1);
    // A single good minute between bad ones does not make two of it.
    if (last && minute - last.lastMinute <= rule.minutes) last.lastMinute = minute;
    else found.push({ firstMinute: minute, lastMinute: minute });
  }
  return found;
}
