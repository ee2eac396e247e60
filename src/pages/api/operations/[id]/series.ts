import { bind } from '../../../../api/endpoint.ts';
import { operationSeries } from '../../../../api/operations/series.ts';

export const GET = bind(operationSeries);
