import { bind } from '../../../../api/endpoint.ts';
import { find } from '../../../../api/traces/within.ts';

export const GET = bind(find);
