import type { ContrastAnswer, ContrastRow, ContrastSet } from '../../api/contrast/contrast.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { shownName } from '../../ui/list/shownName.ts';

/** A set of requests in words: "coach or freight with berths 4.7.0". */
export function setWords({ facets }: Pick<ContrastSet, 'facets'>): string {
  return facets.map(facetWords).join(' with ');
}

type FacetWords = ContrastSet['facets'][number];

function facetWords({ field, service, values, least, most }: FacetWords): string {
  const short = field.slice(field.lastIndexOf('.') + 1);
  if (least !== null) return `${short} ≥ ${least}`;
  if (most !== null) return `${short} ≤ ${most}`;
  const named = values.map((it) => shownName(it)).join(' or ');
  if (service !== null && field === 'service.version') return `${shownName(service)} ${named}`;
  if (service !== null && field === 'host.name') return `${shownName(service)} on ${named}`;
  if (service !== null) return named;
  // A number or a truth value says nothing without what it is of.
  if (values.every((it) => /^(true|false)$/.test(it))) return `${field} ${named}`;
  return values.every((it) => /^[\d.,-]+$/.test(it)) ? `${short} ${named}` : named;
}

/** What the set is made of: "ferry.vehicle_class × service.version". */
export function fieldWords({ facets }: Pick<ContrastSet, 'facets'>): string {
  return facets.map(({ field }) => field).join(' × ');
}

/** A share of what there is to explain, in per cent with one digit below ten. */
export function shareWords(share: number): string {
  const percent = 100 * share;
  const digits = Math.abs(percent) < 9.95 ? 1 : 0;
  const sign = percent < 0 && Number(percent.toFixed(digits)) !== 0 ? '−' : '';
  return `${sign}${Math.abs(percent).toFixed(digits)}\u202f%`;
}

/** An amount of the outcome: a duration, or a share of failing requests. */
export function amountWords(amount: number, outcome: ContrastAnswer['outcome']): string {
  return outcome === 'duration' ? formatDuration(Math.round(amount)) : formatShare(amount);
}

export function signedAmount(amount: number, outcome: ContrastAnswer['outcome']): string {
  return `${amount < 0 ? '−' : '+'}${amountWords(Math.abs(amount), outcome)}`;
}

/** What the page says in one sentence. */
export function headline(answer: ContrastAnswer, first: ContrastRow | undefined): string {
  const { a, b, enough, toExplain } = answer;
  if (!enough) {
    const [few, which] = a.requests <= b.requests ? [a.requests, 'A'] : [b.requests, 'B'];
    return `Not enough data: ${formatCount(Math.round(few))} ${few === 1 ? 'request' : 'requests'} in ${which}, 20 are needed`;
  }
  const turn = turnOf(answer);
  if (turn !== 'worse') return turnWords(answer, turn);
  const whole = wholeOf(answer);
  if (!first?.sure) return `Nothing explains ${whole} for sure`;
  return `${shareWords(clamped(first.amount / toExplain))} of ${whole}: ${setWords(first)}`;
}

function wholeOf({ how, swapped, a, outcome, byOutcome, toExplain }: ContrastAnswer): string {
  if (!byOutcome)
    return outcome === 'duration'
      ? `the extra ${formatDuration(Math.round(toExplain))}`
      : `the extra ${formatShare(toExplain)} that fail`;
  const count = formatCount(Math.round(a.requests));
  if (swapped || how === 'sets') return `the ${count} in A`;
  return how === 'failed' ? `the ${count} that failed` : `the ${count} slow ones`;
}

/** How A is to B: worse, which is to be explained; better; or neither beyond chance. */
export function turnOf({ byOutcome, toExplainRange: [from, to] }: ContrastAnswer): 'worse' | 'better' | 'same' {
  if (byOutcome || from > 0) return 'worse';
  return to < 0 ? 'better' : 'same';
}

function turnWords({ a, b, outcome, mixOfEntries, difference }: ContrastAnswer, turn: 'better' | 'same'): string {
  const figures = `${amountWords(b.mean ?? 0, outcome)} → ${amountWords(a.mean ?? 0, outcome)}`;
  if (turn === 'better') return `${outcome === 'duration' ? 'A is faster than B' : 'A fails less often than B'}: ${figures}`;
  // The means may differ all the same when other entries were asked for.
  const isMix = Math.abs(mixOfEntries) > 0.5 * Math.abs(difference) && difference !== 0;
  if (isMix && Math.abs(difference) > 0.02 * Math.abs(b.mean ?? 0))
    return `Other entries are asked for, none is worse: ${figures}`;
  return `${outcome === 'duration' ? 'No difference beyond chance' : 'Failing no more often beyond chance'}: ${figures}`;
}

/** Estimates of a share beyond the whole are the whole, as far as a sentence goes. */
export function clamped(share: number): number {
  return Math.max(0, Math.min(1, share));
}

/** The two populations in words. @param within the part of the lit window from which A is taken, in words; '' for all of it */
export function sideWords(
  options: { readonly how: ContrastAnswer['how']; readonly a: string; readonly b: string; readonly swap: string },
  answer: ContrastAnswer | undefined,
  within = '',
): { readonly a: string; readonly b: string } {
  const over = answer?.overNs ? `took ${formatDuration(answer.overNs)} or longer` : 'took long';
  const pairs = {
    slow: [over, 'the rest of the lit window'],
    failed: ['failed', 'did not fail'],
    before: ['the lit window', 'before'],
    sets: [options.a === '' ? 'all' : readable(options.a), options.b === '' ? 'all others' : readable(options.b)],
  } as const;
  const [chosen, b] = pairs[options.how];
  const a = within === '' ? chosen : `${chosen}, ${within}`;
  return options.swap === 'yes' ? { a: b, b: a } : { a, b };
}

function readable(conditions: string): string {
  return conditions.replaceAll(';', ' and ');
}

/** What the page says as a text that can be sent. */
export function reportText(answer: ContrastAnswer, sides: { readonly a: string; readonly b: string }, link: string): string {
  const { a, b, outcome, toExplain, rows, ruledOut, byOutcome } = answer;
  const mean = (it: { mean: number | null }) => (it.mean === null ? '' : `, mean ${amountWords(it.mean, outcome)}`);
  const lines = [
    headline(answer, rows[0]),
    '',
    `A: ${sides.a}: ${formatCount(Math.round(a.requests))} requests${byOutcome && outcome === 'failures' ? '' : mean(a)}`,
    `B: ${sides.b}: ${formatCount(Math.round(b.requests))} requests${byOutcome && outcome === 'failures' ? '' : mean(b)}`,
    ...(answer.read < answer.of ? [`From a sample of ${formatCount(answer.read)} of ${formatCount(answer.of)} requests.`] : []),
    '',
    'What sets them apart (rows overlap; ranges hold 95 times in 100):',
    ...rows.map((it) => {
      const [from, to] = it.range.map((value) => shareWords(value / toExplain));
      return `- ${setWords(it)} (${fieldWords(it)}): ${shareWords(it.amount / toExplain)} (${from} to ${to}); ${formatCount(Math.round(it.requests.a))} in A, ${formatCount(Math.round(it.requests.b))} in B`;
    }),
    ...(rows.length === 0 ? ['- nothing for sure'] : []),
    ...answer.stack.map(
      (it) => `Peeled: ${setWords(it)}: ${shareWords(it.amount / toExplain)}, ${shareWords(it.left / toExplain)} is left`,
    ),
    '',
    'Makes no difference beside the first (99 % sure):',
    ...ruledOut.filter(({ atMost }) => atMost < 0.05).map((it) => `- ${ruledOutWords(it)}: at most ${shareWords(it.atMost)}`),
    '',
    link,
  ];
  return lines.join('\n');
}

const OF_SERVICE: Readonly<Record<string, string>> = {
  'service.version': 'version',
  'service.instance.id': 'instance',
  'host.name': 'host',
  'cloud.region': 'region',
};

/** A facet in words: "instance of holds", "ferry.route". */
export function ruledOutWords({ field, service }: { readonly field: string; readonly service: string | null }): string {
  return service === null ? field : `${OF_SERVICE[field] ?? field} of ${shownName(service)}`;
}
