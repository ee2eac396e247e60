import { bind } from '../../../../api/endpoint.ts';
import { usual } from '../../../../api/traces/usual.ts';

export const GET = bind(usual);
