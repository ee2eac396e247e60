import { bind } from '../../../../../../api/endpoint.ts';
import { oneSpan } from '../../../../../../api/traces/span.ts';

export const GET = bind(oneSpan);
