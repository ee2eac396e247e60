import type { Condition } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';

/** What a contrast is asked for with, from another page. */
export interface ContrastLink {
  readonly how: 'slow' | 'failed' | 'before' | 'sets';
  readonly outcome?: 'duration' | 'failures';
  readonly overNs?: number;
  /** The requests of A; those of B, all the rest when absent. */
  readonly a?: readonly Condition[];
  readonly b?: readonly Condition[];
  /** A part of the lit window from which A is taken, epoch milliseconds. */
  readonly within?: { readonly from: number; readonly to: number };
}

/** The address of a contrast. @param href the one that keeps the scope */
export function contrastPath(href: (path: string) => string, link: ContrastLink): string {
  const parameters = new URLSearchParams({ how: link.how });
  if (link.outcome) parameters.set('outcome', link.outcome);
  if (link.overNs) parameters.set('over', String(Math.round(link.overNs)));
  if (link.a) parameters.set('a', link.a.map(writeCondition).join(';'));
  if (link.b) parameters.set('b', link.b.map(writeCondition).join(';'));
  if (link.within) {
    parameters.set('aFrom', new Date(link.within.from).toISOString());
    parameters.set('aTo', new Date(link.within.to).toISOString());
  }
  return `${href('/contrast')}&${parameters}`;
}
