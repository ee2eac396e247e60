import { bind } from '../../api/endpoint.ts';
import { health } from '../../api/health/health.ts';

export const GET = bind(health);
