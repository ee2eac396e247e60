import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { Impact } from './caseContent.ts';

/** A figure of what it did to people, as it is written: what, how much, and what belongs to it. */
export interface ImpactFigure {
  readonly what: string;
  readonly figure: string;
  readonly note: string;
}

/** What the figures are of. */
export interface ImpactOf {
  readonly amountOf: string;
  /** The application whose views are counted; empty where requests are. */
  readonly visitsOf: string;
}

/** What is counted that failed. */
export function failedWords(visitsOf: string): string {
  return visitsOf === '' ? 'requests failed' : 'views went wrong';
}

/** The figures that are known. What is not known is left out: it is no zero. */
export function impactFigures(it: Impact, { amountOf, visitsOf }: ImpactOf): ImpactFigure[] {
  return [
    ...(it.people === null ? [] : [{ what: 'people', figure: formatCount(it.people), note: '' }]),
    ...(it.failed === null
      ? []
      : [
          {
            what: failedWords(visitsOf),
            figure: formatCount(it.failed),
            note: it.requests === null ? '' : `of ${formatCount(it.requests)}`,
          },
        ]),
    ...(it.waitingNs === null
      ? []
      : [{ what: 'extra waiting', figure: it.waitingNs === 0 ? '0 s' : formatDuration(it.waitingNs), note: '' }]),
    ...(it.amount === null
      ? []
      : [
          {
            what: `${amountOf} lost`,
            figure: formatCount(Math.round(it.amount)),
            note:
              it.amountLeast === null || it.amountMost === null
                ? ''
                : `${formatCount(Math.round(it.amountLeast))} to ${formatCount(Math.round(it.amountMost))}`,
          },
        ]),
  ];
}

/** The same in a line, without what is zero: "171 people · 240 of 295 requests failed · 3 h 23 min extra waiting". */
export function impactLine(it: Impact, of: ImpactOf): string {
  return impactFigures(it, of)
    .filter(({ figure }) => figure !== '0' && figure !== '0 s')
    .map(({ what, figure, note }) =>
      note.startsWith('of ') ? `${figure} ${note} ${what}` : `${figure} ${what}${note === '' ? '' : ` (${note})`}`,
    )
    .join(' · ');
}
