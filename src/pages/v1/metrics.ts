import type { APIRoute } from 'astro';
import { receive } from '../../api/otlp/receive.ts';

export const POST: APIRoute = ({ request }) => receive('metrics', request);

export { ALL } from '../../api/otlp/receive.ts';
