import { bind } from '../../../../api/endpoint.ts';
import { serviceOverview } from '../../../../api/services/overview.ts';

export const GET = bind(serviceOverview);
