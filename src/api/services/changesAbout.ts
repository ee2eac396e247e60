import { z } from 'zod';
import { concerns } from '../../core/changes/concerns.ts';
import type { ChangeRow } from '../../store/measures/recentEvents.ts';

/** A change with whom it concerns. */
export const changeAbout = z.object({
  at: z.number(),
  kind: z.string(),
  phase: z.string(),
  title: z.string(),
  about: z.string().meta({ description: 'The service, host, database or partner that the change names.' }),
});

/** The changes that concern one of some names, the first that fits; see `concerns`. */
export function changesAbout(changes: readonly ChangeRow[], names: readonly string[]): z.output<typeof changeAbout>[] {
  return changes.flatMap(({ service, ...it }) => {
    const about = concerns({ service, title: it.title }, names);
    return about === undefined ? [] : [{ ...it, about }];
  });
}
