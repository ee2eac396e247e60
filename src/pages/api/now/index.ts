import { bind } from '../../../api/endpoint.ts';
import { now } from '../../../api/now/now.ts';

export const GET = bind(now);
