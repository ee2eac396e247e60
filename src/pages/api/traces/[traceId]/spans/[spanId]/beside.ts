import { bind } from '../../../../../../api/endpoint.ts';
import { beside } from '../../../../../../api/traces/beside.ts';

export const GET = bind(beside);
