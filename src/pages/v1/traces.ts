import type { APIRoute } from 'astro';
import { receiveTraces } from '../../api/otlp/traces.ts';

export const POST: APIRoute = ({ request }) => receiveTraces(request);

export const ALL: APIRoute = () => new Response(null, { status: 405, headers: { allow: 'POST' } });
