import { bind } from '../../../../api/endpoint.ts';
import { serviceExample } from '../../../../api/services/example.ts';

export const GET = bind(serviceExample);
