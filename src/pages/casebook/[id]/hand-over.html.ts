import type { APIRoute } from 'astro';
import { handOverFor, readHandOverQuery } from '../../../api/casebook/handOver.ts';
import { errorAnswer } from '../../../api/endpoint.ts';
import { reachedAt } from '../../../api/reachedAt.ts';
import { handOverAnswer } from '../../../views/casebook/handover/handOverPage.ts';

/** The hand-over of a case as HTML in one file. `save=yes` has the browser save it. */
export const GET: APIRoute = async ({ params, request, url }) => {
  try {
    const { id, save, ...how } = readHandOverQuery(url, params.id);
    const handOver = await handOverFor(id, { ...how, origin: reachedAt({ request, url }) });
    return handOverAnswer(handOver, {
      isFrozen: false,
      name: save === 'yes' ? `case-${id}.html` : '',
    });
  } catch (error) {
    return errorAnswer(error);
  }
};
