import { bind } from '../../../api/endpoint.ts';
import { stripes } from '../../../api/traces/stripes.ts';

export const GET = bind(stripes);
