import { codeBlock, codeSpan, markdownTable, plainInMarkdown } from '../markdown/markdownText.ts';
import { formatBytes, formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import { betterCode, type CodeTrial, middle, type TriedCode } from './codeTrial.ts';

const time = (ms: number) => formatDuration(ms * 1e6);

/** A verdict in words. */
export function codeVerdict(it: TriedCode, original: TriedCode): string {
  if (it.failed) return `failed: ${it.failed}`;
  if (it === original) return 'as it is';
  if (it.same < it.of) return `other output for ${formatCount(it.of - it.same)} of ${formatCount(it.of)} inputs`;
  const change = 1 - middle(it.runs) / middle(original.runs);
  const percent = `${change >= 0 ? '−' : '+'}${Math.abs(100 * change).toFixed(Math.abs(change) < 0.1 ? 1 : 0)} %`;
  switch (it.verdict?.is) {
    case 'better':
      return `${percent}, same output`;
    case 'worse':
      return `slower, ${percent}`;
    case 'same':
      return 'no difference beyond the noise';
    default:
      return 'not enough runs';
  }
}

/** Which way to take and why, in one sentence. */
export function fixSentence(trial: CodeTrial): string {
  const [original] = trial.ways;
  const [best] = betterCode(trial);
  if (!best) return `None of ${trial.ways.length - 1} tried is faster beyond the noise with the same output`;
  return `${best.what}: ${time(middle(original.runs))} → ${time(middle(best.runs))}, same output for all ${formatCount(best.of)} inputs`;
}

/** A run as Markdown, to be put into an issue. */
export function fixReport(trial: CodeTrial): string {
  const [original] = trial.ways;
  const lines = [
    `**Fixes, measured.** ${plainInMarkdown(fixSentence(trial))}. ${trial.rounds} runs of each by turns, ${plainInMarkdown(`${trial.runtime}${trial.note ? `; ${trial.note}` : ''}`)}.`,
    '',
    markdownTable(
      ['way', 'time of a run', 'least to most', 'memory', 'outputs', 'verdict'],
      trial.ways.map((it) => {
        const hasRun = it.runs.length > 0;
        return [
          it.what,
          hasRun ? time(middle(it.runs)) : '',
          hasRun ? `${time(Math.min(...it.runs))} to ${time(Math.max(...it.runs))}` : '',
          it.failed ? '' : `${it.bytesAtLeast ? 'at least ' : ''}${formatBytes(it.bytes)}`,
          `${it.same} of ${it.of} same`,
          codeVerdict(it, original),
        ];
      }),
      [false, true, true, true, true, false],
    ),
  ];
  const [best] = betterCode(trial);
  if (best) lines.push('', `${codeSpan(best.file)}:`, '', codeBlock(best.source.trimEnd(), 'js'));
  return lines.join('\n');
}
