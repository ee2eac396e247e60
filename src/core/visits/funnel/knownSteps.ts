import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import type { FunnelStep } from './passages.ts';

const MOST = 5_000;
const SHOWN = 60;

/** What visitors saw and pressed, by in how many visits: what the steps of a funnel can be made of. */
export function knownSteps(slots: readonly NarrowedSlot[], scope: VisitScope): (FunnelStep & { readonly visits: number })[] {
  const found = new Map<string, number>();
  for (const { fromMs, visits, passes } of slots) {
    const at = codesOf(visits, 'at').values;
    const { offsets, items, texts } = listsOf(visits, 'step');
    const counts = new Uint32Array(texts.length);
    const seenBy = new Uint32Array(texts.length);
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (!passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      for (let item = offsets[row]; item < offsets[row + 1]; item++) {
        const code = items[item];
        if (seenBy[code] === row + 1) continue;
        seenBy[code] = row + 1;
        counts[code]++;
      }
    }
    for (const [code, count] of counts.entries())
      if (count > 0 && (found.has(texts[code]) || found.size < MOST))
        found.set(texts[code], (found.get(texts[code]) ?? 0) + count);
  }
  return [...found]
    .sort((a, b) => b[1] - a[1])
    .slice(0, SHOWN)
    .map(([text, visits]) => {
      const space = text.indexOf(' ');
      return { kind: text.slice(0, space) as FunnelStep['kind'], name: text.slice(space + 1), visits };
    });
}
