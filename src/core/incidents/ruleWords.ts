import type { Rule, RuleMeasure } from './rules.ts';

/** What a rule measures, as people choose it. */
export const RULE_NAMES: Readonly<Record<RuleMeasure, string>> = {
  failures: 'failing share',
  p50: 'p50',
  p95: 'p95',
  p99: 'p99',
  rate: 'few requests',
  drop: 'fewer than usual',
  rise: 'more than usual',
  burn: 'allowance used up',
};

/** What follows the bound of a rule, by what it measures. */
export const RULE_UNITS: Readonly<Record<RuleMeasure, string>> = {
  failures: '% of requests fail, or more',
  p50: 'ms at p50, or more',
  p95: 'ms at p95, or more',
  p99: 'ms at p99, or more',
  rate: 'requests a minute, or less',
  drop: '% fewer requests than usual at this hour, or fewer still',
  rise: '% more requests than usual at this hour, or more',
  burn: 'times the allowance, or more',
};

const SHARES: ReadonlySet<RuleMeasure> = new Set(['failures', 'drop', 'rise']);

/** People read and type shares as per cent; a rule holds them as they are. */
export function shownPerBound(measure: RuleMeasure): number {
  return SHARES.has(measure) ? 100 : 1;
}

/** What a rule says. */
export function ruleWords({ journey, measure, bound, minutes }: Pick<Rule, 'journey' | 'measure' | 'bound' | 'minutes'>): string {
  const shown = Number((bound * shownPerBound(measure)).toPrecision(12));
  return `${journey}: ${shown} ${RULE_UNITS[measure]}, over ${minutes} min`;
}
