import { bind } from '../../../../api/endpoint.ts';
import { serviceMeasures } from '../../../../api/services/measures.ts';

export const GET = bind(serviceMeasures);
