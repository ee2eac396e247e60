import { z } from 'zod';
import { readAudit } from '../../store/accounts/audit.ts';
import { ApiError, type Asked, endpoint, errorAnswer } from '../endpoint.ts';

const MOST = 200;
const entry = z.object({
  id: z.int(),
  at: z.string(),
  by: z.string(),
  address: z.string(),
  action: z.string(),
  about: z.record(z.string(), z.unknown()),
  status: z.int(),
});
const moment = z.iso.datetime().transform((it) => new Date(it));
const query = z.strictObject({ text: z.string().max(100).optional(), from: moment.optional(), to: moment.optional() });

export type AuditList = z.output<typeof audit.answer>;

const shown = ({ at, userId: _, ...it }: Awaited<ReturnType<typeof readAudit>>[number]) => ({ ...it, at: at.toISOString() });

export const audit = endpoint({
  path: '/api/audit',
  least: 'administrator',
  summary: 'What was done and by whom, the latest first.',
  query: query.extend({ before: z.coerce.number().int().positive().optional() }),
  answer: z.object({
    entries: z.array(entry),
    more: z.int().nullable().meta({ description: 'What `before` is for what comes next.' }),
  }),
  run: async ({ before, ...filter }) => {
    const found = await readAudit({ ...filter, beforeId: before }, MOST + 1);
    const entries = found.slice(0, MOST).map(shown);
    return { entries, more: found.length > MOST ? (entries.at(-1)?.id ?? null) : null };
  },
});

/** All of it as JSON lines, the latest first. */
export function exportAudit({ url }: Asked): Response {
  const asked = query.safeParse(Object.fromEntries(url.searchParams));
  if (!asked.success)
    return errorAnswer(new ApiError(400, asked.error.issues.map((it) => `${it.path.join('.')}: ${it.message}`).join('; ')));
  let beforeId: number | undefined;
  const body = new ReadableStream<Uint8Array>({
    pull: async (controller) => {
      const found = await readAudit({ ...asked.data, beforeId }, 1_000);
      beforeId = found.at(-1)?.id;
      if (found.length > 0)
        controller.enqueue(new TextEncoder().encode(found.map((it) => `${JSON.stringify(shown(it))}\n`).join('')));
      if (found.length < 1_000) controller.close();
    },
  });
  return new Response(body, {
    headers: {
      'content-type': 'application/x-ndjson; charset=utf-8',
      'cache-control': 'no-store',
      'content-disposition': 'attachment; filename="dusk-lantern-audit.jsonl"',
    },
  });
}
