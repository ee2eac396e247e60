import { bind } from '../../../../api/endpoint.ts';
import { logs } from '../../../../api/traces/logs.ts';

export const GET = bind(logs);
