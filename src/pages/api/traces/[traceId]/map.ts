import { bind } from '../../../../api/endpoint.ts';
import { traceMap } from '../../../../api/traces/touched.ts';

export const GET = bind(traceMap);
