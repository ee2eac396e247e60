import type { APIRoute } from 'astro';
import { receive } from '../../api/otlp/receive.ts';

export const POST: APIRoute = ({ request, locals }) => receive('metrics', request, locals.incoming);

export { ALL } from '../../api/otlp/receive.ts';
