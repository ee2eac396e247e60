import { bind } from '../../../api/endpoint.ts';
import { series } from '../../../api/requests/series.ts';

export const GET = bind(series);
