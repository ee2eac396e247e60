import type { APIRoute } from 'astro';
import { exportLines } from '../../../api/export/stream.ts';

export const GET: APIRoute = ({ url, params }) => exportLines(url, params.signal);
