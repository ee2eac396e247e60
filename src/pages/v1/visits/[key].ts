import type { APIRoute } from 'astro';
import { receiveVisits } from '../../../api/visitors/door.ts';

export const ALL: APIRoute = ({ params, request, locals }) => receiveVisits(params.key ?? '', request, locals.incoming);
