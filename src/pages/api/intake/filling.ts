import { bind, bindBody } from '../../../api/endpoint.ts';
import { readFilling, tellFilling } from '../../../api/intake/filling.ts';

export const GET = bind(readFilling);
export const PUT = bindBody(tellFilling);
