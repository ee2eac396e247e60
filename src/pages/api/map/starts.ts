import { bind } from '../../../api/endpoint.ts';
import { starts } from '../../../api/map/starts.ts';

export const GET = bind(starts);
