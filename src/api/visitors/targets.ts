import { z } from 'zod';
import { MOST_PAGE_TARGETS, pageTargets, setPageTarget } from '../../store/settings/pageTargets.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const app = z.string().trim().min(1).max(100);
/** Milliseconds until ready that satisfy, for Apdex. */
export const targetMs = z.coerce.number().min(100).max(60_000);
const answer = z.object({
  targets: z.array(z.object({ page: z.string(), ms: z.number() })).meta({ description: 'By page.' }),
});

export const visitorTargets = endpoint({
  path: '/api/visitors/targets',
  least: 'reader',
  summary: 'The times until ready that satisfy on single pages of an application, for Apdex.',
  query: z.strictObject({ app }),
  answer,
  run: ({ app }) => targetsOf(app),
});

export const setVisitorTarget = endpoint({
  method: 'PUT',
  path: '/api/visitors/targets',
  least: 'responder',
  summary: 'Sets the time until ready that satisfies on one page of an application, or takes it away.',
  query: z.strictObject({
    app,
    page: z.string().min(1).max(500),
    ms: targetMs.nullable().meta({ description: 'null: the page is measured by the target of all.' }),
  }),
  answer,
  run: async ({ app, page, ms }) => {
    if (!(await setPageTarget(app, page, ms ?? undefined)))
      throw new ApiError(409, `${MOST_PAGE_TARGETS} pages have a target of their own already; take one away first.`);
    return targetsOf(app);
  },
});

async function targetsOf(app: string): Promise<z.output<typeof answer>> {
  const targets = [...(await pageTargets(app))].map(([page, ms]) => ({ page, ms }));
  return { targets: targets.sort((a, b) => (a.page < b.page ? -1 : 1)) };
}
