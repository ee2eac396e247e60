import { codeBlock, markdownTable, plainInMarkdown } from '../markdown/markdownText.ts';
import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { Trial, Tried } from './trial.ts';
import { median } from './verdict.ts';
import { betterOnes, PROOF_WORDS, savingADay, trialHeadline } from './words.ts';

const time = (ms: number) => formatDuration(ms * 1e6);

/** A trial as Markdown, to be handed to the team whose statement it is. @param callsADay null when it is not known */
export function trialReport(trial: Trial, callsADay: number | null, address: string): string {
  const { original, how, valueSets, leftOut } = trial;
  const lines = [`# ${plainInMarkdown(trialHeadline(trial))}`, '', codeBlock(trial.text, 'sql'), ''];
  lines.push(
    `Tried on ${plainInMarkdown(trial.server)} (${plainInMarkdown(how.address)}${how.isCopy ? ', a copy' : ''}), ${new Date(trial.begun).toISOString()}: ${how.runs} runs of each by turns after one that does not count; every run was rolled back. ${address}`,
    '',
  );
  for (const [at, it] of valueSets.entries())
    if (it.values.length > 0)
      lines.push(
        `Values ${at + 1}: ${plainInMarkdown(it.values.join(', '))}${it.rows === null ? '' : `: ${formatCount(it.rows)} rows`}`,
      );
  for (const warning of how.warnings) lines.push(plainInMarkdown(warning));
  const all = [...(original ? [original] : []), ...trial.alternatives];
  if (all.length > 0)
    lines.push(
      '',
      markdownTable(
        ['way', 'median', 'least to most', 'blocks', 'rows', 'verdict', 'saves a day'],
        all.map((it) => {
          const hasRun = it.runs.length > 0;
          const saves = original && callsADay !== null && it !== original && it.verdict?.is === 'better';
          return [
            it.words,
            hasRun ? time(median(it.runs)) : 'not run',
            hasRun ? `${time(Math.min(...it.runs))} to ${time(Math.max(...it.runs))}` : '',
            it.blocks ? formatCount(it.blocks.hit + it.blocks.read) : '',
            rowWords(it),
            verdictWords(it),
            saves ? time(savingADay(original, it, callsADay)) : '',
          ];
        }),
        [false, true, true, true, false, false, true],
      ),
    );
  for (const it of betterOnes(trial))
    lines.push(
      '',
      `## ${plainInMarkdown(it.words)}`,
      '',
      ...it.why,
      '',
      `Its rows are ${PROOF_WORDS[it.proof]}.`,
      '',
      codeBlock(waySql(it), 'sql'),
    );
  if (leftOut.length > 0) {
    lines.push('', '## Left out', '');
    for (const it of leftOut.slice(0, 40)) lines.push(`- ${plainInMarkdown(`${it.words}: ${it.because}, ${it.detail}`)}`);
    if (leftOut.length > 40) lines.push(`- and ${leftOut.length - 40} more`);
  }
  return `${lines.join('\n')}\n`;
}

export function rowWords({ rows }: Tried): string {
  if (!rows) return 'not compared';
  return rows.are === 'unknown' ? `not known: ${rows.words}` : rows.are === 'equal' ? `= ${formatCount(rows.count)}` : rows.words;
}

export function verdictWords({ verdict }: Tried): string {
  if (!verdict) return '';
  if (verdict.is === 'better') return `faster, ${certainty(verdict.chance)} sure`;
  return { same: 'no difference beyond the noise', worse: 'slower', unsure: 'not enough to say' }[verdict.is];
}

/** How sure an answer is, from the chance that it only looks so. */
export function certainty(chance: number): string {
  return chance < 0.0001 ? 'over 99.99 %' : `${(100 * (1 - chance)).toFixed(2)} %`;
}

/** What has to be run to have an alternative: what it needs made, its settings, and its text. */
export function waySql(it: Tried): string {
  return [
    ...it.commands.map((command) => `${command};`),
    ...Object.entries(it.settings).map(([name, value]) => `SET LOCAL ${name} = '${value}';`),
    `${it.text};`,
  ].join('\n');
}
