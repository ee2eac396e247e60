import { bind } from '../../api/endpoint.ts';
import { environments } from '../../api/fields/environments.ts';

export const GET = bind(environments);
