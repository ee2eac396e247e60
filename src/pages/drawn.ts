import type { APIRoute } from 'astro';

/** Pages come in by this path, and are answered before it is reached. */
export const GET: APIRoute = () => new Response('There is nothing here.\n', { status: 404 });
