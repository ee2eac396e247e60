import { bind } from '../../../api/endpoint.ts';
import { overview } from '../../../api/traces/overview.ts';

export const GET = bind(overview);
