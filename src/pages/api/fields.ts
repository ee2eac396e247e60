import { bind } from '../../api/endpoint.ts';
import { fields } from '../../api/fields/list.ts';

export const GET = bind(fields);
