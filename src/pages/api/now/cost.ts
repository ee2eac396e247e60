import { bind } from '../../../api/endpoint.ts';
import { cost } from '../../../api/now/cost.ts';

export const GET = bind(cost);
