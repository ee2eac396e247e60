import type { APIRoute } from 'astro';
import { answerProbe } from '../../api/code/probeDoor.ts';

export const ALL: APIRoute = ({ request, url }) => answerProbe({ request, url });
