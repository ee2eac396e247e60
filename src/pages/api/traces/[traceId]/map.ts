import { bind } from '../../../../api/endpoint.ts';
import { traceMap } from '../../../../api/traces/map.ts';

export const GET = bind(traceMap);
