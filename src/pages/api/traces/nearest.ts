import { bind } from '../../../api/endpoint.ts';
import { nearest } from '../../../api/traces/nearest.ts';

export const GET = bind(nearest);
