import { z } from 'zod';
import { keepNote, MOST_NOTES, notesBetween, removeNote } from '../../store/settings/timeNotes.ts';
import { personName } from '../casebook/makePin.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { pathWithin } from '../links/links.ts';
import { isoTime, rowNumber } from '../parameters.ts';

const LONGEST_NOTE = 300;
const DAY_MS = 86_400_000;
/** How far from now something can lie that is noted. */
const BACK_MS = 400 * DAY_MS;
const AHEAD_MS = DAY_MS;

export const noteAnswer = z.object({
  id: z.int(),
  at: z.number().meta({ description: 'What it is about, epoch milliseconds.' }),
  made: z.number().meta({ description: 'When it was written.' }),
  text: z.string(),
  by: z.string().meta({ description: 'Who wrote it; empty where that is not known.' }),
  path: z.string().meta({ description: 'The page that it was written on, with its scope.' }),
});
export type NoteAnswer = z.output<typeof noteAnswer>;

export const notes = endpoint({
  path: '/api/notes',
  least: 'reader',
  summary: 'What was noted on the axis of time, in order.',
  query: z.strictObject({ from: isoTime, to: isoTime }),
  answer: z.object({ notes: z.array(noteAnswer) }),
  run: async ({ from, to }) => ({ notes: await notesBetween(Number(from) / 1e6, Number(to) / 1e6) }),
});

export const writeNote = endpoint({
  method: 'POST',
  path: '/api/notes',
  least: 'responder',
  summary: 'Notes something at a moment, for all to see on the axes of time.',
  query: z.strictObject({
    at: isoTime,
    text: z.string().trim().min(1, 'say something').max(LONGEST_NOTE),
    path: pathWithin,
    by: personName,
  }),
  answer: noteAnswer,
  run: async ({ at, text, path, by }) => {
    const [ms, now] = [Math.floor(Number(at) / 1e6), Date.now()];
    if (ms < now - BACK_MS || ms > now + AHEAD_MS) throw new ApiError(400, 'at: a note lies between 400 days ago and tomorrow');
    const kept = await keepNote({ at: ms, made: now, text: text.replace(/\s+/g, ' '), by, path });
    if (!kept) throw new ApiError(400, `there are ${MOST_NOTES} notes; remove some that nobody needs first`);
    return kept;
  },
});

export const dropNote = endpoint({
  method: 'POST',
  path: '/api/notes/removal',
  least: 'responder',
  summary: 'Removes a note from the axes of time.',
  query: z.strictObject({ id: rowNumber }),
  answer: z.object({ id: z.int() }),
  run: async ({ id }) => {
    if (!(await removeNote(id))) throw new ApiError(404, `there is no note ${id}; perhaps somebody has removed it`);
    return { id };
  },
});
