import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { Impact } from './caseContent.ts';

/** A figure of what it did to people, as it is written: what, how much, and what belongs to it. */
export interface ImpactFigure {
  readonly what: string;
  readonly figure: string;
  readonly note: string;
}

/** The figures that are known. What is not known is left out: it is no zero. */
export function impactFigures(it: Impact, amountOf: string): ImpactFigure[] {
  return [
    ...(it.people === null ? [] : [{ what: 'people', figure: formatCount(it.people), note: '' }]),
    ...(it.failed === null
      ? []
      : [
          {
            what: 'requests failed',
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
export function impactLine(it: Impact, amountOf: string): string {
  return impactFigures(it, amountOf)
    .filter(({ figure }) => figure !== '0' && figure !== '0 s')
    .map(({ what, figure, note }) =>
      what === 'requests failed' && note !== ''
        ? `${figure} ${note} ${what}`
        : `${figure} ${what}${note === '' ? '' : ` (${note})`}`,
    )
    .join(' · ');
}
