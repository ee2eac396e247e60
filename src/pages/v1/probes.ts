import type { APIRoute } from 'astro';
import { answerApi } from '../../api/routes.ts';

export const ALL: APIRoute = ({ request, url }) => answerApi({ request, url });
