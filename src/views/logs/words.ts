import type { LogOverview } from '../../api/logs/overview.ts';
import { numberIn } from '../../core/logs/numbers/lineNumbers.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';

export type LogShape = LogOverview['shapes'][number];
export type LogField = LogOverview['fields'][number];

export const STATE_WORDS: Readonly<Record<LogShape['state'], string>> = {
  new: 'new',
  burst: 'at once',
  more: 'more',
  gone: 'gone',
  fewer: 'fewer',
  rare: 'rare',
  same: '',
};

/** The state in a word, with what it is of one line only. */
export function stateWord({ state, lit }: LogShape): string {
  return state === 'new' && lit === 1 ? 'once' : STATE_WORDS[state];
}

/** A shape as one line: a value that never varies stands in its hole, else …. */
export function shapeText({ pieces, holes }: LogShape): string {
  return pieces
    .map((piece) => {
      if (typeof piece === 'string') return piece;
      const { top, distinct, many } = holes[piece.hole];
      return distinct === 1 && !many ? top[0].value : '…';
    })
    .join('')
    .split('\n', 1)[0];
}

/** What the page says first: the first shape that says something new. */
export function logsHeadline(answer: LogOverview, zone: string, now: number): string {
  if (answer.total.lit === 0 && answer.total.before === 0) return 'No lines here';
  if (answer.building > 0) return `${formatCount(answer.total.lit)} lines so far; some are still being read`;
  const first = answer.shapes[0];
  const text = first && shortened(shapeText(first), 70);
  switch (first?.state) {
    case 'new':
      return `${text}: ${linesWords(first.lit)}, none before; first ${dayTime(first.firstSeen, zone, now)}`;
    case 'more':
      return `${text}: ${timesWords(first.times)} as often as before`;
    case 'burst':
      return `${text}: ${linesWords(first.lit)}, most of them at once`;
    case 'gone':
      return `${text}: none, ${formatCount(first.before)} before`;
    case 'fewer':
      return `${text}: ${timesWords(first.times)} as often as before`;
    default:
      return answer.total.before === 0
        ? `${linesWords(answer.total.lit)}, and none before to hold them against`
        : 'No message is new or comes more or less often';
  }
}

export function shapesWords(count: number): string {
  return count === 1 ? '1 message shape' : `${formatCount(count)} message shapes`;
}

export function linesWords(count: number): string {
  return count === 1 ? '1 line' : `${formatCount(count)} lines`;
}

function timesWords(times: number | null): string {
  if (times === null) return 'not';
  return times >= 10 ? `${Math.round(times)} ×` : `${times.toFixed(1)} ×`;
}

export function shortened(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

/** What varies in a hole, in few words: `3 values`, `always 3000`, `12 to 208`. */
export function spreadWords({ distinct, many, top }: LogShape['holes'][number]): string {
  if (top.length === 0) return '';
  if (distinct === 1 && !many) return `always ${shortened(top[0].value.split('\n', 1)[0], 30)}`;
  return many ? `more than ${distinct} values` : `${distinct} values`;
}

/**
 * A line as it may be shown: controls, colours of terminals, and marks that turn the direction of writing are made visible, so that a line can
 * neither hide nor pretend anything.
 */
export function harmless(text: string): string {
  return (
    text
      // biome-ignore lint/suspicious/noControlCharactersInRegex: those are what is looked for
      .replace(/\u001b\[[0-9;]*[A-Za-z]/g, '')
      // biome-ignore lint/suspicious/noControlCharactersInRegex: those are what is looked for
      .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f\u200e\u200f\u202a-\u202e\u2066-\u2069\ufffe\uffff]/g, '␦')
  );
}

/** A body that is a structure, set out over lines; undefined when it is none. */
export function structureOf(text: string): string | undefined {
  const start = text.trimStart()[0];
  if (start !== '{' && start !== '[') return undefined;
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return undefined;
  }
}

/** Two moments apart: `+4 ms`, `−1.2 s`. */
export function apartWords(ns: number): string {
  const sign = ns < 0 ? '−' : '+';
  const ms = Math.abs(ns) / 1e6;
  if (ms < 1_000) return `${sign}${ms < 10 ? Math.round(ms * 10) / 10 : Math.round(ms)} ms`;
  const seconds = ms / 1_000;
  return seconds < 120 ? `${sign}${seconds.toFixed(1)} s` : `${sign}${Math.round(seconds / 60)} min`;
}

/** What stands before a hole names what is in it. */
export function nameOfHole({ pieces }: LogShape, hole: number): string {
  const at = pieces.findIndex((piece) => typeof piece !== 'string' && piece.hole === hole);
  const before = pieces[at - 1];
  const words = typeof before === 'string' ? before.match(/[\p{L}\p{N}_.-]+/gu) : null;
  const after = pieces[at + 1];
  return words?.at(-1) ?? (typeof after === 'string' ? (after.match(/[\p{L}\p{N}_.-]+/u)?.[0] ?? 'value') : 'value');
}

/** Whether what stands in a hole is numbers, as far as the values tell that were looked at. */
export function isOfNumbers({ top }: LogShape['holes'][number]): boolean {
  return top.length > 0 && top.every(({ value }) => numberIn(value) !== undefined);
}
