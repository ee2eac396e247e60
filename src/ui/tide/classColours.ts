import type { WaitClass } from '../../core/database/waitClasses.ts';

/** The colour of a wait class, the same everywhere. */
export function colourOfClass(waitClass: string): string {
  return `var(--w-${(waitClass as WaitClass).toLowerCase()})`;
}
