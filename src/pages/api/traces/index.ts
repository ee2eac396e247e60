import { bind } from '../../../api/endpoint.ts';
import { list } from '../../../api/traces/list.ts';

export const GET = bind(list);
