import { bind } from '../../../api/endpoint.ts';
import { failures } from '../../../api/failures/failures.ts';

export const GET = bind(failures);
