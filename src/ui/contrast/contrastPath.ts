import type { Condition } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';

/** What a contrast is asked for with, from another page. */
export interface ContrastLink {
  readonly how: 'slow' | 'failed' | 'before' | 'sets';
  readonly outcome?: 'duration' | 'failures';
  /** The requests of A, and those of B; B is all the rest without it. */
  readonly a?: readonly Condition[];
  readonly b?: readonly Condition[];
}

/** The address of a contrast. @param href the one that keeps the scope */
export function contrastPath(href: (path: string) => string, link: ContrastLink): string {
  const parameters = new URLSearchParams({ how: link.how });
  if (link.outcome) parameters.set('outcome', link.outcome);
  for (const side of ['a', 'b'] as const) {
    const conditions = link[side];
    if (conditions) parameters.set(side, conditions.map(writeCondition).join(';'));
  }
  return `${href('/contrast')}&${parameters}`;
}
