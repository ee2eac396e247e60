import type { APIRoute } from 'astro';
import { downloadTrace } from '../../../../api/traces/download.ts';

export const GET: APIRoute = ({ params, url }) => downloadTrace({ ...Object.fromEntries(url.searchParams), ...params });
