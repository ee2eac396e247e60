import type { APIRoute } from 'astro';
import { receiveTraces } from '../../api/otlp/traces.ts';

export const POST: APIRoute = ({ request }) => receiveTraces(request);
