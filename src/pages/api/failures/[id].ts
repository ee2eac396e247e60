import { bind } from '../../../api/endpoint.ts';
import { occurrences } from '../../../api/failures/failures.ts';

export const GET = bind(occurrences);
