import { bind } from '../../../api/endpoint.ts';
import { reasons } from '../../../api/now/reasons.ts';

export const GET = bind(reasons);
