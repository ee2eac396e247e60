import { bind } from '../../../api/endpoint.ts';
import { around } from '../../../api/now/around.ts';

export const GET = bind(around);
