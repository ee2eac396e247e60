import { bind } from '../../../../api/endpoint.ts';
import { like } from '../../../../api/traces/like.ts';

export const GET = bind(like);
