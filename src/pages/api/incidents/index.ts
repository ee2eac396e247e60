import { bind } from '../../../api/endpoint.ts';
import { incidents } from '../../../api/incidents/incidents.ts';

export const GET = bind(incidents);
