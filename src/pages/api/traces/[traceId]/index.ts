import { bind } from '../../../../api/endpoint.ts';
import { one } from '../../../../api/traces/one.ts';

export const GET = bind(one);
