import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import type { SignKind } from '../struggle.ts';

/** Where visitors struggled: what they pressed, on which page. */
export interface StruggledElement {
  readonly sign: SignKind;
  readonly page: string;
  readonly name: string;
  readonly times: number;
  readonly visits: number;
  /** The latest visit with it. */
  readonly session: string;
}

const MOST_ELEMENTS = 2_000;
const SHOWN = 40;

/** What was struggled with in visits that began in the window, the most frequent first. */
export function struggledElements(slots: readonly NarrowedSlot[], scope: VisitScope): StruggledElement[] {
  const found = new Map<string, { times: number; visits: number; session: string }>();
  for (const { fromMs, visits, passes } of slots) {
    const at = codesOf(visits, 'at').values;
    const { offsets, items, texts } = listsOf(visits, 'signs');
    const session = codesOf(visits, 'session');
    for (let row = 0; row < visits.rows; row++) {
      const time = fromMs + at[row];
      if (offsets[row] === offsets[row + 1] || !passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const own = new Set<number>();
      for (let item = offsets[row]; item < offsets[row + 1]; item++) {
        const text = texts[items[item]];
        const it = found.get(text) ?? { times: 0, visits: 0, session: '' };
        if (found.size < MOST_ELEMENTS) found.set(text, it);
        it.times++;
        if (!own.has(items[item])) it.visits++;
        own.add(items[item]);
        it.session = session.texts[session.values[row] - 1] ?? '';
      }
    }
  }
  return [...found]
    .sort((a, b) => b[1].times - a[1].times)
    .slice(0, SHOWN)
    .map(([text, it]) => {
      const [sign, page, name] = text.split('\0');
      return { sign: sign as SignKind, page, name, ...it };
    });
}
