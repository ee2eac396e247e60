import { bind } from '../../../api/endpoint.ts';
import { groups } from '../../../api/traces/groups.ts';

export const GET = bind(groups);
