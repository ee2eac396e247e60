import { bind } from '../../../../api/endpoint.ts';
import { compare } from '../../../../api/traces/compare.ts';

export const GET = bind(compare);
