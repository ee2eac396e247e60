import type { CodeFinding, CodeFindings } from '../../api/code/findings.ts';
import { codeSpan, plainInMarkdown } from '../../core/markdown/markdownText.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { habitCost, middleName, percent, placeOf } from '../../core/profile/words.ts';
import { formatDuration } from '../../core/time/duration.ts';

const NUMBERS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten'];

/** What the share of a finding is of. */
export const UNIT_WORDS = { cpu: 'CPU', wall: 'time', bytes: 'memory held' } as const;

/** Findings that count: beyond what is usual, and not set aside. */
export function counted({ findings }: CodeFindings): CodeFinding[] {
  return findings.filter((it) => (it.verdict === 'over usual' || it.verdict === 'usual not known') && it.setAside === '');
}

/** What the findings come to, in one sentence. */
export function findingsSentence(answer: CodeFindings): string {
  if (answer.services === 0) return 'No profile in this window';
  const found = counted(answer);
  if (found.length === 0) return 'No habit takes more than is usual';
  const known = found.filter(({ verdict }) => verdict === 'over usual');
  if (known.length === 0) {
    const [most] = found;
    const rest = found.length > 1 ? `, and ${found.length - 1} more` : '';
    return `${most.title} takes ${percent(most.share)} % of ${most.service}${rest}; what is usual is not known`;
  }
  const cpu = known.filter(({ unit }) => unit === 'cpu');
  const over = cpu.reduce((sum, it) => sum + (it.overUsual ?? 0), 0);
  const count = NUMBERS[found.length] ?? String(found.length);
  const habits = `${count} ${found.length === 1 ? 'habit takes' : 'habits take'}`;
  if (cpu.length === 0)
    return `${habits} more than usual, ${habitCost(known[0].overUsual ?? 0, known[0].unit)} in ${known[0].service}`;
  const [worst] = cpu;
  const most = `${formatDuration(worst.overUsual ?? 0)} in ${worst.service}`;
  if (found.length === 1) return `${habits} ${formatDuration(over)} of CPU beyond usual in ${worst.service}`;
  return cpu.length === found.length
    ? `${habits} ${formatDuration(over)} of CPU beyond usual, ${most}`
    : `${habits} more than usual: ${formatDuration(over)} of CPU, ${most}`;
}

/** How sure a finding is, in words. */
export function sureWords({ by, samples, interval }: CodeFinding): string {
  const seen = {
    syntax: 'The source of this version was read, by its syntax.',
    text: 'The source of this version was read, by its text.',
    names: 'Only the names of frames tell; no source of this version was sent.',
  }[by];
  return `${formatCount(samples)} samples; share between ${percent(interval[0])} and ${percent(interval[1])} % (95 %). ${seen}`;
}

/** A finding as text for an issue, Markdown. @param url where it can be looked at @param trial what fixes came to, Markdown; empty for none */
export function issueText(it: CodeFinding, window: { from: string; to: string }, url: string, trial = ''): string {
  const place = `${placeOf(it.place)}`;
  const usual = it.usual
    ? `usual for this habit ${percent(it.usual.low)}–${percent(it.usual.high)} %`
    : 'what is usual is not known';
  const cost = habitCost(it.value, it.unit);
  const over = it.overUsual ? `, ${habitCost(it.overUsual, it.unit)} more than usual` : '';
  return [
    `# ${plainInMarkdown(`${it.service} ${it.version}: ${it.title.toLowerCase()}`)}`,
    '',
    `**Where.** ${codeSpan(middleName(it.place.name))} at ${codeSpan(place)}.`,
    '',
    `**Cost.** ${percent(it.share)} % of the ${UNIT_WORDS[it.unit]} of ${plainInMarkdown(`${it.service} ${it.version}`)} (${usual}): ${cost}${over}, between ${window.from} and ${window.to}.`,
    '',
    `**How sure.** ${sureWords(it)}`,
    '',
    `**What to do.** ${it.advice}`,
    ...(trial ? ['', trial] : []),
    '',
    `**Look at it.** ${url}`,
    '',
  ].join('\n');
}
