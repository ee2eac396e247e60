import { bind } from '../../../../api/endpoint.ts';
import { serviceTime } from '../../../../api/services/time.ts';

export const GET = bind(serviceTime);
