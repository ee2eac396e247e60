import { bind } from '../../../../api/endpoint.ts';
import { timeline } from '../../../../api/traces/timeline.ts';

export const GET = bind(timeline);
