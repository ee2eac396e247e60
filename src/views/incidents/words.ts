import type { Incident } from '../../api/incidents/incidents.ts';

type Stretch = Pick<Incident, 'from' | 'to' | 'state'>;

/** Epoch milliseconds, `to` exclusive. */
interface Window {
  readonly from: number;
  readonly to: number;
}

/** Whether an incident reaches into a window. */
export function isWithin({ from, to }: Pick<Stretch, 'from' | 'to'>, window: Window): boolean {
  return from < window.to && to >= window.from;
}

/**
 * Whether something is going on, in a sentence: now, and in the window that somebody looks at.
 *
 * @param past the lit window; undefined where that follows the clock
 */
export function incidentHeadline(list: readonly Stretch[] | undefined, past: Window | undefined): string {
  if (!list) return 'Looking …';
  if (list.length === 0) return 'Nothing stood out';
  const open = list.filter(({ state }) => state === 'open').length;
  if (open > 0) return `${open === 1 ? 'One incident is' : `${open} incidents are`} going on`;
  const within = past ? list.filter((it) => isWithin(it, past)).length : 0;
  if (within > 0)
    return `${within === 1 ? 'One incident lies' : `${within} incidents lie`} in the lit window; nothing is going on now`;
  return `Nothing is going on, ${list.length} in the last seven days`;
}
