import type { APIRoute } from 'astro';
import { receiveAtDoor } from '../../api/otlp/receive.ts';

export const POST: APIRoute = ({ request, locals }) => receiveAtDoor('metrics', request, locals.incoming);

export { ALL } from '../../api/otlp/receive.ts';
