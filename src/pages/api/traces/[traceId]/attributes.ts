import { bind } from '../../../../api/endpoint.ts';
import { column } from '../../../../api/traces/within.ts';

export const GET = bind(column);
