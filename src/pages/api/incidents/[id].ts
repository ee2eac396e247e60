import { bindBody } from '../../../api/endpoint.ts';
import { changeIncident } from '../../../api/incidents/incidents.ts';

export const PUT = bindBody(changeIncident);
