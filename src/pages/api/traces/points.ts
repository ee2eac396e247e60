import { bind } from '../../../api/endpoint.ts';
import { points } from '../../../api/traces/points.ts';

export const GET = bind(points);
