import { bind } from '../../../api/endpoint.ts';
import { map } from '../../../api/map/map.ts';

export const GET = bind(map);
