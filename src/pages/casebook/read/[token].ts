import type { APIRoute } from 'astro';
import { readShare } from '../../../api/casebook/handOver.ts';
import { ApiError, errorAnswer } from '../../../api/endpoint.ts';
import { handOverAnswer } from '../../../views/casebook/handover/handOverPage.ts';

/** A frozen view of a case, for whoever has its link. */
export const GET: APIRoute = async ({ params }) => {
  try {
    const handOver = await readShare(params.token ?? '');
    if (!handOver) throw new ApiError(404, 'This link leads nowhere. It may have been ended by those who made it.');
    return handOverAnswer(handOver, { isFrozen: true, name: '' });
  } catch (error) {
    return errorAnswer(error);
  }
};
