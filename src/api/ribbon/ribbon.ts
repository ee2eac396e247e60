import { z } from 'zod';
import { allWatched } from '../../store/dictionaries/dictionaries.ts';
import { incidentsBetween } from '../../store/incidents/incidents.ts';
import { readRules } from '../../store/incidents/rules.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { notesBetween } from '../../store/settings/timeNotes.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { incidentTitle } from '../incidents/describe.ts';
import { noteAnswer } from '../notes/notes.ts';

export type RibbonMarks = z.output<typeof ribbon.answer>;

export const ribbon = endpoint({
  path: '/api/ribbon',
  least: 'reader',
  summary: 'Marks of the ribbon: before window, changes, incidents, notes.',
  query: z.strictObject({ from: comparisonParameters.from, to: comparisonParameters.to, before: comparisonParameters.before }),
  answer: z.object({
    before: windowAnswer,
    changes: z.array(z.object({ at: z.number(), service: z.string(), kind: z.string(), phase: z.string(), title: z.string() })),
    incidents: z.array(z.object({ id: z.int(), from: z.number(), to: z.number(), title: z.string() })),
    notes: z.array(noteAnswer),
  }),
  run: async (query) => {
    const [{ before }, kept, watched, rules] = await Promise.all([windowsOf(query), storedTime(), allWatched(), readRules()]);
    if (!kept) return { before: describeWindow(before), changes: [], incidents: [], notes: [] };
    const [changes, notes, incidents] = await Promise.all([
      changesBetween(kept.from, kept.to + 1n),
      // One may be of now, where nothing has come yet.
      notesBetween(Number(kept.from) / 1e6, Math.max(Number(kept.to) / 1e6, Date.now())),
      incidentsBetween(Number(kept.from / 60_000_000_000n), Number(kept.to / 60_000_000_000n)),
    ]);
    return {
      before: describeWindow(before),
      changes,
      notes,
      incidents: incidents.map((it) => ({
        id: it.id,
        from: it.firstMinute * 60_000,
        to: (it.lastMinute + 1) * 60_000,
        title: incidentTitle(it, watched, rules),
      })),
    };
  },
});
