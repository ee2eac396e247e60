import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { Trial, TrialKind, Tried } from './trial.ts';
import { median } from './verdict.ts';

const KIND_WORDS: Readonly<Record<TrialKind, string>> = {
  index: 'an index',
  text: 'a changed text',
  setting: 'a setting',
  statistics: 'statistics',
};

const time = (ms: number) => formatDuration(ms * 1e6);

/** The alternatives that are faster beyond the noise with the same rows, the fastest first. */
export function betterOnes({ alternatives }: Pick<Trial, 'alternatives'>): Tried[] {
  return alternatives.filter((it) => it.verdict?.is === 'better').sort((a, b) => median(a.runs) - median(b.runs));
}

/** What a trial found, in one sentence. */
export function trialHeadline(trial: Pick<Trial, 'phase' | 'words' | 'original' | 'alternatives' | 'how'>): string {
  const { phase, original, words, how } = trial;
  if (phase === 'failed') return 'Nothing was tried';
  const [best] = betterOnes(trial);
  if (original && best && best.rows?.are === 'equal')
    return `${sentence(best.kinds)}: ${time(median(original.runs))} → ${time(median(best.runs))}, the same ${rows(best.rows.count)}`;
  if (phase === 'stopped') return 'Stopped before an answer';
  if (phase !== 'done')
    return original && original.runs.length > 0
      ? `${time(median(original.runs))} as it is; ${words}`
      : `${words.slice(0, 1).toUpperCase()}${words.slice(1)}`;
  const unsure = trial.alternatives.some((it) => it.verdict?.is === 'unsure');
  const tried = `${trial.alternatives.length} of ${how.looked} ways run`;
  if (unsure) return `Not enough to be sure of anything faster; ${tried}`;
  return original
    ? `Good as it is at ${time(median(original.runs))}: nothing faster with the same rows, ${tried}`
    : 'Nothing was run';
}

const rows = (count: number) => (count === 1 ? 'one row' : count === 0 ? 'rows: none' : `${formatCount(count)} rows`);

function sentence(kinds: readonly TrialKind[]): string {
  const words = [...new Set(kinds)].map((it) => KIND_WORDS[it]).join(' and ');
  return words.slice(0, 1).toUpperCase() + words.slice(1);
}

/** Milliseconds of database time that an alternative saves a day. @param callsADay of the statement as it runs now */
export function savingADay(original: Tried, it: Tried, callsADay: number): number {
  return (median(original.runs) - median(it.runs)) * callsADay;
}

/** Why the rows of an alternative are taken to be the same. */
export const PROOF_WORDS: Readonly<Record<Tried['proof'], string>> = {
  always: 'the same for any data',
  schema: 'the same for any data that the keys and references of the schema allow',
  trial: 'the same as far as it was tried: rows that sort alike, or months of other lengths, may differ',
};
